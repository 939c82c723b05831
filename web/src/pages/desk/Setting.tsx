import { Close, Sheet } from "../../components/Sheet";
import { titleOf, type Checklist, type Criterion } from "../../checklist";
import { Choice } from "../../components/Choice";
import { linesOf } from "../../components/Fields";
import type { Schemas } from "../../api";
import type { Context } from "../../unsent/answers";
import { useDraft } from "../../drafts";

export type Chosen = { method: string; setup: string; phase: string };

/** The context in which a criterion is read: what it asks for, but for what was chosen otherwise; undefined where that is the same. */
export function contextFor(c: Criterion, chosen: Chosen): Context | undefined {
  if (c.kind === "fact" || !(chosen.method || chosen.setup || chosen.phase)) return undefined;
  const asked = c.context ?? {};
  const context = {
    method: chosen.method || asked.method,
    setup: chosen.setup || asked.setup,
    phase: chosen.phase || asked.phase,
  };
  const same = context.method === asked.method && context.setup === asked.setup && context.phase === asked.phase;
  return same ? undefined : context;
}

/** The words of the vocabulary that were chosen. */
export function chosenText(list: Checklist, chosen: Chosen): string {
  const named = (of: Schemas["Named"][] | undefined, key: string) =>
    key ? titleOf(of?.find((n) => n.key === key) ?? { key }) : "";
  const v = list.vocabulary;
  return [named(v?.methods, chosen.method), named(v?.setups, chosen.setup), named(v?.phases, chosen.phase)]
    .filter(Boolean)
    .join(" · ");
}

/** Chooses, once for all that follows, another method, setup or phase than criteria ask for. */
export function ContextDialog({
  list,
  chosen,
  open,
  onOpen,
  onChoose,
}: {
  list: Checklist;
  chosen: Chosen;
  open: boolean;
  onOpen: (open: boolean) => void;
  onChoose: (chosen: Chosen) => void;
}) {
  const v = list.vocabulary;
  const choice = (label: string, field: keyof Chosen, of: Schemas["Named"][] | undefined) =>
    !!of?.length && (
      <p className="my-2">
        <Choice
          label={label}
          value={chosen[field]}
          onChange={(key) => onChoose({ ...chosen, [field]: key })}
          options={[
            { value: "", label: "as each criterion asks" },
            ...of.map((n) => ({ value: n.key, label: titleOf(n) })),
          ]}
        />
      </p>
    );
  return (
    <Sheet
      open={open}
      onOpen={onOpen}
      title="How the next readings are taken"
      says="This applies until you change it. A reading taken differently than the criterion asks is saved and shown, but does not score."
    >
      {choice("Method", "method", v?.methods)}
      {choice("Setup", "setup", v?.setups)}
      {choice("Phase", "phase", v?.phases)}
      <span className="mt-4 flex gap-6">
        <Close className="main-act">Apply</Close>
        <button type="button" className="act" onClick={() => onChoose({ method: "", setup: "", phase: "" })}>
          As each criterion asks
        </button>
      </span>
    </Sheet>
  );
}

/** Writes down a new system state. */
export function StateDialog({
  open,
  onOpen,
  rig,
  pending,
  error,
  onSave,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  rig: string;
  pending: boolean;
  error: Error | null;
  onSave: (state: {
    note: string;
    installed: string[];
    changed: string[];
    updated: string[];
    saved: () => void;
  }) => void;
}) {
  const [note, setNote, dropNote] = useDraft("new state, note", "");
  const [installed, setInstalled, dropInstalled] = useDraft("new state, installed", "");
  const [changed, setChanged, dropChanged] = useDraft("new state, changed", "");
  const [updated, setUpdated, dropUpdated] = useDraft("new state, updated", "");
  const saved = () => [dropNote, dropInstalled, dropChanged, dropUpdated].forEach((drop) => drop());
  const area = (label: string, value: string, set: (text: string) => void) => (
    <label className="my-2 block">
      <span className="block text-[13px] text-soft">{label}, one per line</span>
      <textarea className="field w-full" rows={2} value={value} onChange={(e) => set(e.target.value)} />
    </label>
  );
  return (
    <Sheet open={open} onOpen={onOpen} title={`New state of the system${rig && `, on ${rig}`}`} wide={480}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          onSave({
            note: note.trim(),
            installed: linesOf(installed),
            changed: linesOf(changed),
            updated: linesOf(updated),
            saved,
          });
        }}
      >
        <label className="my-2 block">
          <span className="block text-[13px] text-soft">In a few words</span>
          <input
            className="field w-full"
            value={note}
            onChange={(e) => setNote(e.target.value)}
            placeholder="after the first updates"
          />
        </label>
        {area("Chosen at installation", installed, setInstalled)}
        {area("Changed by hand", changed, setChanged)}
        {area("Updated", updated, setUpdated)}
        <span className="mt-3 flex gap-6">
          <button type="submit" className="main-act" disabled={pending}>
            Save the state
          </button>
          <Close className="act">Cancel</Close>
        </span>
        {error && (
          <p role="alert" className="mt-2 text-accent">
            {error.message}
          </p>
        )}
      </form>
    </Sheet>
  );
}

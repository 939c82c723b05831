import { titleOf, type Checklist } from "../../checklist";
import { Choice } from "../../components/Choice";
import type { Tick } from "../../components/Curve";
import { NumberField, TextField } from "../../components/Fields";
import { AudienceForm } from "./AudienceForm";
import { CriterionForm } from "./CriterionForm";
import { KitForm, VocabularyForm } from "./ListForm";
import type { Place } from "./Outline";

type Props = {
  place: Place;
  setPlace: (p: Place) => void;
  doc: Checklist;
  base: Checklist;
  change: (make: (doc: Checklist) => void) => void;
  ticks: Map<string, Tick[]>;
};

/** The form of what is chosen in the outline. */
export function PlaceForm({ place, setPlace, doc, base, change, ticks }: Props) {
  switch (place.on) {
    case "vocabulary":
      return <VocabularyForm doc={doc} change={change} />;
    case "kit":
      return <KitForm doc={doc} change={change} />;
    case "audience": {
      const a = doc.audiences?.[place.audience];
      if (!a) return null;
      const old = base.audiences?.some((x) => x.key === a.key);
      return (
        <>
          <Heading
            text={`Audience: ${titleOf(a)}`}
            remove={() => (setPlace({ on: "list" }), change((d) => void d.audiences!.splice(place.audience, 1)))}
          />
          {!old && (
            <TextField
              label="Key"
              hint="cannot be changed once in force"
              value={a.key}
              onChange={(x) => change((d) => void (d.audiences![place.audience].key = x))}
            />
          )}
          <AudienceForm audience={a} list={doc} change={(make) => change((d) => make(d.audiences![place.audience]))} />
        </>
      );
    }
    case "section": {
      const s = doc.sections[place.section];
      if (!s) return null;
      const set = (make: (s: Checklist["sections"][number]) => void) => change((d) => make(d.sections[place.section]));
      return (
        <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
          <Heading
            text={`Section: ${titleOf(s)}`}
            remove={
              doc.sections.length > 1
                ? () => (setPlace({ on: "list" }), change((d) => void d.sections.splice(place.section, 1)))
                : undefined
            }
          />
          {!base.sections.some((x) => x.key === s.key) && (
            <TextField
              label="Key"
              hint="cannot be changed once in force"
              value={s.key}
              onChange={(x) => set((s) => void (s.key = x))}
            />
          )}
          <TextField label="Title" value={s.title} onChange={(x) => set((s) => void (s.title = x || undefined))} />
          <NumberField label="Weight" value={s.weight} onChange={(x) => set((s) => void (s.weight = x ?? 0))} />
        </div>
      );
    }
    case "criterion": {
      const c = doc.sections[place.section]?.criteria[place.criterion];
      if (!c) return null;
      const known = base.sections.some((s) => s.criteria.some((x) => x.key === c.key));
      return (
        <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
          <Heading
            text={titleOf(c)}
            remove={() => (setPlace({ on: "list" }), change((d) => drop(d, place.section, place.criterion)))}
          />
          {!known && (
            <TextField
              label="Key"
              hint="cannot be changed once in force"
              value={c.key}
              onChange={(x) => change((d) => void (d.sections[place.section].criteria[place.criterion].key = x))}
            />
          )}
          <Choice
            label="Section"
            value={String(place.section)}
            options={doc.sections.map((s, i) => ({ value: String(i), label: titleOf(s) }))}
            onChange={(to) => {
              const section = Number(to);
              if (section === place.section) return;
              change(
                (d) =>
                  void d.sections[section].criteria.push(
                    ...d.sections[place.section].criteria.splice(place.criterion, 1),
                  ),
              );
              setPlace({ on: "criterion", section, criterion: doc.sections[section].criteria.length });
            }}
          />
          <CriterionForm
            criterion={c}
            list={doc}
            index={place.section}
            ticks={ticks.get(c.key) ?? []}
            change={(make) => change((d) => make(d.sections[place.section].criteria[place.criterion]))}
          />
        </div>
      );
    }
  }
  return null;
}

/** Takes a criterion out of its section and of all that refers to it. */
function drop(d: Checklist, section: number, criterion: number) {
  const [gone] = d.sections[section].criteria.splice(criterion, 1);
  if (d.policy?.decisive) d.policy.decisive = d.policy.decisive.filter((k) => k !== gone.key);
  for (const a of d.audiences ?? []) {
    delete a.criteria?.[gone.key];
    delete a.gates?.[gone.key];
  }
}

function Heading({ text, remove }: { text: string; remove?: () => void }) {
  return (
    <h2 className="flex items-baseline justify-between border-b border-ink pb-1">
      {text}
      {remove && (
        <button type="button" className="act font-sans text-[13px]" onClick={remove}>
          Remove
        </button>
      )}
    </h2>
  );
}

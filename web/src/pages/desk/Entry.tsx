import { Link } from "react-router";
import type { Checklist, Criterion } from "../../checklist";
import { contextWords, direction, titleOf } from "../../checklist";
import { decimal } from "../../decimal";
import { hue } from "../../components/Figures";
import { Wrong } from "../../components/States";
import type { Evidence } from "../../evidence";
import { nameOf } from "../../checklists";
import { score } from "../../numbers";
import { pointsOf, useRules, type Rule } from "../../rules";
import { Fields, Text } from "./Fields";
import { errorOf, isStuck, type Place, type Unsent } from "../../unsent/answers";
import { useEvidence } from "../../evidence";
import { Drop, EvidenceOf } from "./Pictures";
import { summary } from "./runs";
import { isTimed } from "../../times";
import { Stopwatch, type Watch } from "./Stopwatch";
import { gradeSoFar, runsSoFar, type Typed } from "./typed";
import { useDeskKeys, type DeskAct } from "./keys";

export type Extra = "adjust" | "disturbance" | "note" | "evidence";

const bounds = { "": "exact", about: "about", "at-least": "at least", "at-most": "at most" } as const;
export const nextBound = (b: Typed["bound"]): Typed["bound"] =>
  (({ "": "about", about: "at-least", "at-least": "at-most", "at-most": "" }) as const)[b];

/** The points of what is typed, by the scoring rule; undefined if they cannot be computed here. */
export function preview(c: Criterion, rule: Rule | undefined, t: Typed): number | undefined {
  if (t.none || !rule) return undefined;
  if (rule.choices.length) return rule.choices.find((x) => x.key === (t.check || t.level))?.points;
  if (rule.relative || rule.line.length === 0) return undefined;
  const graded = gradeSoFar(t);
  if (graded !== undefined) return graded >= 0 && graded <= 10 ? pointsOf(rule, graded) : undefined;
  const runs = runsSoFar(c, t);
  return runs.length ? pointsOf(rule, summary(c, runs, decimal(t.adjust) ?? 0)) : undefined;
}

/** The criterion in hand: how to check it, and the fields for its answer. */
export function Entry({
  criterion: c,
  list,
  index,
  place,
  review,
  typed,
  item,
  points,
  extra,
  lacking,
  others,
  evidence,
  watch,
  hidden,
  onExtra,
  onType,
  onDone,
  onDrop,
  onRetry,
  onAll,
}: {
  criterion: Criterion;
  list: Checklist;
  index: number;
  place: Place;
  review: string;
  typed: Typed;
  item?: Unsent;
  points?: number | null;
  extra: Extra | "";
  /** Equipment that the criterion needs and the rig has not. */
  lacking: string[];
  /** How many other criteria need what is lacking and have no answer. */
  others: number;
  evidence: Evidence[];
  watch: Watch & { since: number };
  /** Who has graded this, and is hidden until one's own grade is in. */
  hidden: string[];
  onExtra: (extra: Extra) => void;
  onType: (change: Partial<Typed>) => void;
  onDone: () => void;
  onDrop: () => void;
  onRetry: () => void;
  onAll: () => void;
}) {
  const context = contextWords(place.context ?? c.context, list);
  const rule = useRules(nameOf(list)).get(c.key);
  const now = item ? (preview(c, rule, typed) ?? points) : points;
  const add = useEvidence(review);
  const conflict = item?.state === "refused";
  return (
    <Drop label={titleOf(c)} onFiles={(files) => add.mutate({ files, of: typed.id })}>
      <div
        className="my-2 border border-ink border-l-4 px-4 py-3"
        style={{
          borderLeftColor: hue(index),
          background: "color-mix(in srgb, var(--paper) 60%, light-dark(white, black))",
        }}
      >
        <div className="flex justify-between gap-4">
          <div>
            <h2 id="in-hand">{titleOf(c)}</h2>
            <p className="mt-1 max-w-[62ch] text-[13px] text-soft">
              {c.guidance} {direction(c) && `${direction(c)[0].toUpperCase()}${direction(c).slice(1)}.`}
            </p>
            <p className="text-[13px] text-soft">
              {[place.rig && `on ${place.rig}`, context, typed.system && `in state ${typed.system}`]
                .filter(Boolean)
                .join(" · ")}
              {place.context && <span className="font-medium text-ink"> · not as asked: saved, does not score</span>}
            </p>
            {hidden.length > 0 && (
              <p className="text-[13px] text-soft">
                {hidden.join(", ")} {hidden.length === 1 ? "has" : "have"} graded this. It is shown after you enter your
                grade.
              </p>
            )}
          </div>
          {c.kind === "fact" ? (
            <p className="shrink-0 text-[12px] text-soft">not scored</p>
          ) : (
            <p className="max-w-[6rem] shrink-0 text-right">
              <span className="whitespace-nowrap font-serif text-[30px] leading-none font-semibold">{score(now)}</span>
              <span className="block text-[12px] text-soft">
                {item && preview(c, rule, typed) !== undefined ? "points with the current answer" : "points"}
              </span>
            </p>
          )}
        </div>
        <div className="my-3">
          <Fields criterion={c} typed={typed} onType={onType} onDone={onDone} />
          {typed.none === "notTested" && lacking.length > 0 && others > 0 && (
            <p className="mt-2 text-[13px]">
              <button type="button" className="act" onClick={onAll} disabled={!typed.reason.trim()}>
                Answer the same for {others === 1 ? "the other criterion" : `the ${others} others`} that need{" "}
                {lacking.join(", ")}
              </button>
            </p>
          )}
        </div>
        {!typed.none && c.kind === "measure" && (typed.adjust || typed.adjustReason || extra === "adjust") && (
          <div className="my-2 grid max-w-lg grid-cols-[8rem_1fr] gap-4">
            <Text
              label={`Subtract, ${c.unit ?? ""}`}
              value={typed.adjust}
              onType={(adjust) => onType({ adjust })}
              onDone={onDone}
              autoFocus={extra === "adjust"}
            />
            <Text
              label="because"
              value={typed.adjustReason}
              onType={(adjustReason) => onType({ adjustReason })}
              onDone={onDone}
            />
          </div>
        )}
        {(typed.disturbance || extra === "disturbance") && (
          <Text
            label="Disturbed, does not score, because"
            value={typed.disturbance}
            onType={(disturbance) => onType({ disturbance })}
            onDone={onDone}
            autoFocus={extra === "disturbance"}
          />
        )}
        {(typed.note || extra === "note") && (
          <Text
            label="Note"
            value={typed.note}
            onType={(note) => onType({ note })}
            onDone={onDone}
            autoFocus={extra === "note"}
          />
        )}
        <EvidenceOf add={add} of={typed.id} evidence={evidence} open={extra === "evidence"} />
        {item?.fault && isStuck(item) && (
          <div role="alert" className="my-2 border-l-2 border-accent pl-3 text-accent">
            {item.state === "waiting"
              ? "No connection. What you typed is saved here and sent automatically."
              : item.state === "paused"
                ? "You are signed out. What you typed is saved here. Sign in again to send it."
                : item.fault.message}
            <Wrong error={errorOf(item.fault)} />
            {conflict && (
              <button type="button" className="act mt-1" onClick={onRetry}>
                Replace it with mine
              </button>
            )}
          </div>
        )}
        <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
          <Act
            of="not-tested"
            name={typed.none === "notTested" ? "tested after all" : "not tested"}
            act={() => onType({ none: typed.none === "notTested" ? "" : "notTested", reason: "" })}
          />
          <Act
            of="not-applicable"
            name={typed.none === "notApplicable" ? "applicable after all" : "not applicable"}
            act={() => onType({ none: typed.none === "notApplicable" ? "" : "notApplicable", reason: "" })}
          />
          {c.kind === "measure" && !typed.none && (
            <>
              <Act of="adjust" name="adjust" act={() => onExtra("adjust")} />
              <Act
                of="bound"
                name={typed.bound ? bounds[typed.bound] : "bound"}
                pressed={!!typed.bound}
                act={() => onType({ bound: nextBound(typed.bound) })}
              />
              <Act
                of="repeat"
                name="after a restart"
                pressed={typed.repeat}
                act={() => onType({ repeat: !typed.repeat })}
              />
            </>
          )}
          <Act of="disturbance" name="disturbance" act={() => onExtra("disturbance")} />
          <Act of="note" name="note" act={() => onExtra("note")} />
          <Act
            of="evidence"
            name={evidence.length ? `evidence (${evidence.length})` : "evidence"}
            act={() => onExtra("evidence")}
          />
          {c.kind === "measure" && isTimed(c.unit) && !typed.none && (
            <>
              <Stopwatch watch={watch} />
              <Link
                className="act"
                to={`/recording?${new URLSearchParams({ review, criterion: c.key, rig: place.rig ?? "" })}`}
              >
                from a recording
              </Link>
            </>
          )}
          {item && (
            <button type="button" className="act ml-auto" onClick={onDrop}>
              discard the input
            </button>
          )}
        </p>
      </div>
    </Drop>
  );
}

function Act({ of, name, act, pressed }: { of: DeskAct; name: string; act: () => void; pressed?: boolean }) {
  const keyOf = useDeskKeys();
  return (
    <button
      type="button"
      onClick={act}
      aria-pressed={pressed}
      className={`min-h-[24px] hover:text-ink ${pressed ? "bg-chosen font-medium text-ink" : "text-soft"}`}
    >
      <span className="key mr-1">{keyOf(of)}</span>
      {pressed && "✓ "}
      {name}
    </button>
  );
}

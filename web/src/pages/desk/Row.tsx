import type { Schemas } from "../../api";
import { answerText, titleOf, type Criterion, type Reading } from "../../checklist";
import { score, exactClock } from "../../numbers";
import { placeKey, type Place, type Unsent } from "../../unsent/answers";
import type { Outbox } from "./outbox";
import { standing } from "./standing";

/** The rig that a criterion is tried on: what is timed or needs equipment has one, judgement has none. */
export function rigFor(c: Criterion, rig: string, readings: Reading[]): string {
  const timed = c.kind === "measure" && !!(c.context?.method || c.context?.setup || c.context?.phase);
  const onRigs = readings.some((r) => r.criterion === c.key && r.rig);
  return timed || c.needs?.length || onRigs ? rig : "";
}

/** Whether what was typed is saved, and since when. */
export function Saving({ outbox }: { outbox: Outbox }) {
  const items = Object.values(outbox.items);
  const waiting = items.filter((i) => i.state === "waiting").length;
  const refused = items.filter((i) => i.state === "refused").length;
  const paused = items.filter((i) => i.state === "paused").length;
  const text = paused
    ? `${paused} not saved: signed out, saved here`
    : waiting
      ? `${waiting} not saved: no connection, saved here`
      : refused
        ? `${refused} rejected, see why`
        : items.some((i) => i.state === "sending")
          ? "saving…"
          : items.length
            ? "typed, saved as a draft"
            : outbox.savedAt
              ? `saved ${exactClock(outbox.savedAt)}`
              : "";
  return (
    <span role="status" className="text-[13px]">
      {text}
    </span>
  );
}

/** A criterion that is not in hand: its title, what was recorded, its points. */
export function Row({
  criterion: c,
  chosen,
  place,
  readings,
  items,
  hidden,
  before,
  points,
  gap,
  onOpen,
}: {
  criterion: Criterion;
  chosen: boolean;
  place: Place;
  before: string;
  readings: Reading[];
  items: Record<string, Unsent>;
  hidden: number;
  points?: number | null;
  gap?: Schemas["Gap"];
  onOpen: () => void;
}) {
  const kept = items[placeKey(place)];
  const here = standing(readings, place, c.context);
  const last = here.at(-1);
  return (
    <button
      type="button"
      onClick={onOpen}
      aria-current={chosen || undefined}
      className={`grid min-h-[36px] w-full grid-cols-[1fr_auto] items-center gap-x-4 border-b border-rule py-1 text-left hover:bg-wash/50 md:grid-cols-[minmax(0,1fr)_minmax(0,18rem)_3.5rem] ${chosen ? "bg-chosen" : ""}`}
    >
      <span>
        {titleOf(c)}
        {c.gate != null && <span className="ml-2 text-[12px] text-accent">required</span>}
      </span>
      <span
        className={`max-md:order-3 max-md:col-span-2 ${last?.answer.notTested || last?.answer.notApplicable ? "text-soft italic" : "text-soft"}`}
      >
        {kept ? (
          <span className="text-accent">
            {kept.state === "refused"
              ? "rejected"
              : kept.state === "waiting"
                ? "waiting for a connection"
                : kept.state === "paused"
                  ? "waiting until you sign in"
                  : "typed, not recorded"}
          </span>
        ) : last ? (
          <>
            {answerText(last.answer, c)}
            {here.length > 1 && <span className="text-[12px]"> +{here.length - 1}</span>}
            {gap && (
              <span className="ml-2 text-[12px] text-accent" title={`${gap.why}; ${gap.fix}`}>
                {gap.bounded ? "only roughly known" : "not counted"}
              </span>
            )}
          </>
        ) : hidden ? (
          <span className="italic">{hidden === 1 ? "one other has graded" : `${hidden} others have graded`}</span>
        ) : (
          before && <span className="text-[12px] italic">{before}</span>
        )}
      </span>
      <span className="text-right font-semibold">{points != null ? score(points) : ""}</span>
    </button>
  );
}

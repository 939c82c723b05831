import type { Checklist, Criterion } from "../../checklist";
import { contextText, direction, titleOf } from "../../checklist";
import { Wrong } from "../../components/States";
import { hue } from "../../components/Figures";
import { score } from "../../numbers";
import { Fields, Text } from "./Fields";
import type { Item } from "./outbox";
import type { Typed } from "./typed";

export type Extra = "adjust" | "disturbance" | "note";

/** The criterion in hand: how to check it, and the fields for its answer. */
export function Entry({ criterion: c, list, index, rig, typed, item, points, extra, onExtra, onType, onDone, onDrop }: {
  criterion: Criterion;
  list: Checklist;
  index: number;
  rig: string;
  typed: Typed;
  item?: Item;
  points?: number | null;
  extra: Extra | "";
  onExtra: (extra: Extra) => void;
  onType: (change: Partial<Typed>) => void;
  onDone: () => void;
  onDrop: () => void;
}) {
  const context = contextText(c, list);
  return (
    <div className="my-2 border border-ink border-l-4 px-4 py-3" style={{ borderLeftColor: hue(index), background: "color-mix(in srgb, var(--paper) 60%, light-dark(white, black))" }}>
      <div className="flex justify-between gap-4">
        <div>
          <h2 id="in-hand">{titleOf(c)}</h2>
          <p className="mt-1 max-w-[62ch] text-[13px] text-soft">
            {c.guidance} {direction(c) && `${direction(c)[0].toUpperCase()}${direction(c).slice(1)}.`}
          </p>
          {(context || rig) && <p className="text-[13px] text-soft">{[rig && `on ${rig}`, context].filter(Boolean).join(" · ")}</p>}
        </div>
        <p className="text-right">
          <span className="font-serif text-[30px] leading-none font-semibold">{score(points)}</span>
          <span className="block text-[12px] text-soft">points</span>
        </p>
      </div>
      <div className="my-3">
        <Fields criterion={c} typed={typed} onType={onType} onDone={onDone} />
      </div>
      {!typed.none && c.kind === "measure" && (typed.adjust || typed.adjustReason || extra === "adjust") && (
        <div className="my-2 grid max-w-lg grid-cols-[8rem_1fr] gap-4">
          <Text label={`Take off, ${c.unit ?? ""}`} value={typed.adjust} onType={(adjust) => onType({ adjust })} onDone={onDone} autoFocus={extra === "adjust"} />
          <Text label="because" value={typed.adjustReason} onType={(adjustReason) => onType({ adjustReason })} onDone={onDone} />
        </div>
      )}
      {(typed.disturbance || extra === "disturbance") && <Text label="Disturbed, does not score, because" value={typed.disturbance} onType={(disturbance) => onType({ disturbance })} onDone={onDone} autoFocus={extra === "disturbance"} />}
      {(typed.note || extra === "note") && <Text label="Note" value={typed.note} onType={(note) => onType({ note })} onDone={onDone} autoFocus={extra === "note"} />}
      {item?.error && (
        <div role="alert" className="my-2 border-l-2 border-accent pl-3 text-accent">
          {item.state === "waiting" ? "No connection. What you typed is kept here and sent by itself." : item.error.message}
          <Wrong error={item.error} />
        </div>
      )}
      <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[13px]">
        <Act letter="N" name={typed.none === "notTested" ? "tested after all" : "not tested"} act={() => onType({ none: typed.none === "notTested" ? "" : "notTested", reason: "" })} />
        <Act letter="P" name={typed.none === "notApplicable" ? "applicable after all" : "not applicable"} act={() => onType({ none: typed.none === "notApplicable" ? "" : "notApplicable", reason: "" })} />
        {c.kind === "measure" && <Act letter="A" name="adjust" act={() => onExtra("adjust")} />}
        <Act letter="D" name="disturbance" act={() => onExtra("disturbance")} />
        <Act letter="E" name="note" act={() => onExtra("note")} />
        {item && (
          <button type="button" className="act ml-auto" onClick={onDrop}>
            discard what was typed
          </button>
        )}
      </p>
    </div>
  );
}

function Act({ letter, name, act }: { letter: string; name: string; act: () => void }) {
  return (
    <button type="button" onClick={act} className="min-h-[24px] text-soft hover:text-ink">
      <span className="key mr-1">{letter}</span>
      {name}
    </button>
  );
}

import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, Refusal, take, Unreachable } from "../../api";
import type { Checklist, Criterion, Reading } from "../../checklist";
import { findCriterion } from "../../checklist";
import { keep, restore, storageOf, type Items } from "./kept";
import { adjustment, answer, newID, NotANumber, type Typed } from "./typed";
import { outdated, sourceKey } from "../../keys";

export type Context = NonNullable<Criterion["context"]>;

/** Where something is typed: a criterion on a rig, and in which context where that is not the one asked for. */
export type Place = { criterion: string; rig: string; context?: Context };

export const placeKey = (p: Place) =>
  [p.criterion, p.rig, ...(p.context ? [p.context.method, p.context.setup, p.context.phase] : [])].join("|");

/** What was typed and is not recorded yet. */
export type Item = {
  place: Place;
  typed: Typed;
  /** typing: not left yet · sending · waiting: no connection, sent again by itself · paused: signed out · refused: see error */
  state: "typing" | "sending" | "waiting" | "paused" | "refused";
  error?: Error;
  /** It was sent with this id at least once, and the answer may have been lost. */
  sent: boolean;
};

const retryEvery = 3000;
const draftAfter = 700;

/**
 * Keeps what is typed on the desk until the service has it: in memory, in the browser's storage, as
 * a draft in the service, and at last as a reading. Nothing typed is dropped on the way.
 */
export function useOutbox(review: string, person: string, list: Checklist | undefined, readings: Reading[]) {
  const storage = storageOf(review, person);
  const queries = useQueryClient();
  const [items, setItems] = useState<Items>(() => restore(storage));
  const [savedAt, setSavedAt] = useState<Date>();
  // What is kept changes by change() alone: a render may still have the items of before, and
  // would bring back what was sent meanwhile.
  const now = useRef({ items, list, readings });
  now.current.list = list;
  now.current.readings = readings;
  const timers = useRef<Record<string, ReturnType<typeof setTimeout>>>({});

  const change = useCallback(
    (key: string, item: Item | undefined) => {
      const next = { ...now.current.items };
      if (item) next[key] = item;
      else delete next[key];
      now.current.items = next;
      setItems(next);
      keep(storage, next);
    },
    [storage],
  );

  const saveDraft = useCallback(
    async (place: Place, text: string) => {
      const context = place.context ?? findCriterion(now.current.list, place.criterion)?.context;
      try {
        await take(
          api.PUT("/reviews/{id}/drafts", {
            params: { path: { id: review } },
            body: { criterion: place.criterion, rig: place.rig, context, text },
          }),
        );
      } catch {
        // The browser's storage has it too; the reading itself tells of lost connections.
      }
    },
    [review],
  );

  const type = useCallback(
    (place: Place, typed: Typed) => {
      const key = placeKey(place);
      const before = now.current.items[key];
      // What was sent once may have arrived: a changed text is another reading.
      const id = before?.sent ? newID() : typed.id;
      change(key, { place, typed: { ...typed, id }, state: "typing", sent: false });
      clearTimeout(timers.current[key]);
      timers.current[key] = setTimeout(() => void saveDraft(place, JSON.stringify(typed)), draftAfter);
    },
    [change, saveDraft],
  );

  const send = useCallback(
    async (key: string) => {
      const item = now.current.items[key];
      const c = findCriterion(now.current.list, item?.place.criterion ?? "");
      if (!item || !c || item.state === "sending") return;
      clearTimeout(timers.current[key]);
      let body;
      try {
        const given = answer(c, item.typed);
        if (!given) return;
        body = { given, adjustment: adjustment(item.typed) };
      } catch (error) {
        if (error instanceof NotANumber) change(key, { ...item, state: "refused", error });
        return;
      }
      change(key, { ...item, state: "sending", sent: true });
      try {
        if (item.sent) await queries.refetchQueries({ queryKey: sourceKey("readings", review) });
        const standing = mine(now.current.readings, person, item.place, now.current.list);
        await take(
          api.PUT("/reviews/{id}/readings/{reading}", {
            params: { path: { id: review, reading: item.typed.id } },
            body: {
              criterion: item.place.criterion,
              rig: item.place.rig,
              context: item.place.context ?? c.context,
              system: item.typed.system || undefined,
              bound: item.typed.bound || undefined,
              repeat: item.typed.repeat || undefined,
              answer: body.given,
              adjustment: body.adjustment,
              disturbance: item.typed.disturbance.trim() || undefined,
              note: item.typed.note.trim() || undefined,
              confirm: !!item.typed.note.trim() || undefined,
              replaces: standing && standing.id !== item.typed.id ? standing.id : undefined,
            },
          }),
        );
        if (now.current.items[key]?.typed.id === item.typed.id) change(key, undefined);
        setSavedAt(new Date());
        await Promise.all([
          outdated(queries, sourceKey("readings", review)),
          outdated(queries, sourceKey("desk", review)),
        ]);
        void outdated(queries, sourceKey("review", review));
      } catch (error) {
        const still = now.current.items[key];
        if (still?.typed.id !== item.typed.id) return;
        const out = error instanceof Refusal && error.problem.status === 401;
        if (out) void outdated(queries, "session");
        change(key, {
          ...still,
          state: error instanceof Unreachable ? "waiting" : out ? "paused" : "refused",
          error: error as Error,
        });
      }
    },
    [change, person, queries, review],
  );

  // What waits for a connection is sent again, and at once when the browser is back online.
  useEffect(() => {
    const again = () => {
      for (const [key, item] of Object.entries(now.current.items)) if (item.state === "waiting") void send(key);
    };
    const timer = setInterval(again, retryEvery);
    window.addEventListener("online", again);
    return () => {
      clearInterval(timer);
      window.removeEventListener("online", again);
    };
  }, [send]);

  /** Sends what was refused once more, as a reading of its own that takes the place of what stands now. */
  const retry = useCallback(
    async (key: string) => {
      const item = now.current.items[key];
      if (!item) return;
      await queries.refetchQueries({ queryKey: sourceKey("readings", review) });
      change(key, { ...item, typed: { ...item.typed, id: newID() }, state: "typing", error: undefined, sent: false });
      await send(key);
    },
    [change, queries, review, send],
  );

  /** Takes in drafts that were typed on another machine; what was typed here stays. */
  const adopt = useCallback(
    (drafts: { criterion: string; rig?: string; context?: Context; text: string }[]) => {
      for (const d of drafts) {
        const asked = findCriterion(now.current.list, d.criterion)?.context;
        const place = {
          criterion: d.criterion,
          rig: d.rig ?? "",
          context: d.context && !sameContext(d.context, asked) ? d.context : undefined,
        };
        if (now.current.items[placeKey(place)]) continue;
        try {
          change(placeKey(place), {
            place,
            typed: { ...(JSON.parse(d.text) as Typed), id: newID() },
            state: "typing",
            sent: false,
          });
        } catch {
          // A draft of another program's making is left where it is.
        }
      }
    },
    [change],
  );

  /** Gives up what was typed at a place. */
  const drop = useCallback(
    (place: Place) => {
      clearTimeout(timers.current[placeKey(place)]);
      change(placeKey(place), undefined);
      void saveDraft(place, "");
    },
    [change, saveDraft],
  );

  return { items, savedAt, type, send, retry, adopt, drop };
}

export type Outbox = ReturnType<typeof useOutbox>;

const parts = ["method", "setup", "phase"] as const;

export const sameContext = (a: Context | undefined, b: Context | undefined) =>
  parts.every((part) => (a?.[part] ?? "") === (b?.[part] ?? ""));

/** Whether a reading was made as its criterion asks: what was made otherwise is kept, and never scores. */
export const inContext = (r: Reading, c: Criterion | undefined) =>
  parts.every((part) => !c?.context?.[part] || c.context[part] === r.context?.[part]);

/** The reading of a person that stands at a place: the latest that none replaces. */
export function mine(
  readings: Reading[],
  person: string,
  place: Place,
  list: Checklist | undefined,
): Reading | undefined {
  return standing(readings, place, findCriterion(list, place.criterion)).findLast((r) => r.reviewer === person);
}

/** The readings that stand at a place, made as asked or in the place's own context, by time. */
export function standing(readings: Reading[], place: Place, c: Criterion | undefined): Reading[] {
  const replaced = new Set(readings.map((r) => r.replaces).filter(Boolean));
  const fits = (r: Reading) => (place.context ? sameContext(r.context, place.context) : inContext(r, c));
  return readings.filter(
    (r) => r.criterion === place.criterion && (r.rig ?? "") === place.rig && !replaced.has(r.id) && fits(r),
  );
}

import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef } from "react";
import { api, take } from "../../api";
import { findCriterion, titleOf, type Checklist } from "../../checklist";
import { tab } from "../../local";
import {
  answerKey,
  change,
  faultOf,
  find,
  placeKey,
  put,
  remove,
  useAnswers,
  type Context,
  type Place,
  type Unsent,
} from "../../unsent/answers";
import { send as sendNow, sendAnew, useSavedAt } from "../../unsent/sender";
import { sameContext } from "./standing";
import { adjustment, answer, NotANumber, type Typed } from "./typed";
import { newID } from "../../ids";

const draftAfter = 700;

/**
 * Keeps what is typed in a review until the service has it: in this browser, as a draft in the service, and at last
 * as a reading. Nothing typed is dropped on the way.
 */
export function useOutbox(review: string, person: string, list: Checklist) {
  const queries = useQueryClient();
  const answers = useAnswers();
  const savedAt = useSavedAt(review);
  const items = useMemo(
    () =>
      Object.fromEntries(
        answers.filter((a) => a.person === person && a.review === review).map((a) => [placeKey(a.place), a]),
      ),
    [answers, person, review],
  );
  const known = useRef(list);
  known.current = list;
  const timers = useRef<Record<string, ReturnType<typeof setTimeout>>>({});

  const saveDraft = useCallback(
    async (place: Place, text: string) => {
      const context = place.context ?? findCriterion(known.current, place.criterion)?.context;
      try {
        await take(
          api.PUT("/reviews/{id}/drafts", {
            params: { path: { id: review } },
            body: { criterion: place.criterion, rig: place.rig, context, text },
          }),
        );
      } catch {
        // This browser has it too; the reading itself shows a lost connection.
      }
    },
    [review],
  );

  const type = useCallback(
    (place: Place, typed: Typed) => {
      const key = answerKey(person, review, place);
      const before = find(key);
      // What was sent once may have arrived: a changed text is another reading.
      const id = before?.sent ? newID() : typed.id;
      put(composed(key, person, review, place, { ...typed, id }, known.current));
      clearTimeout(timers.current[key]);
      timers.current[key] = setTimeout(() => void saveDraft(place, JSON.stringify(typed)), draftAfter);
    },
    [person, review, saveDraft],
  );

  /** Sends what was typed at a place, given by its key, as a reading. */
  const send = useCallback(
    async (at: string) => {
      const key = `${person} ${review} ${at}`;
      const a = find(key);
      if (!a || a.state === "sending") return;
      clearTimeout(timers.current[key]);
      if (a.body) {
        change(key, { state: "waiting", answered: a.answered ?? Date.now() });
        await sendNow(key, queries);
      } else if (a.fault) change(key, { state: "refused" });
    },
    [person, queries, review],
  );

  const retry = useCallback((at: string) => sendAnew(`${person} ${review} ${at}`, queries), [person, queries, review]);

  /** Adds drafts that were typed on another machine; what was typed here stays. */
  const adopt = useCallback(
    (drafts: { criterion: string; rig?: string; context?: Context; text: string }[]) => {
      for (const d of drafts) {
        const asked = findCriterion(known.current, d.criterion)?.context;
        const place = {
          criterion: d.criterion,
          rig: d.rig ?? "",
          context: d.context && !sameContext(d.context, asked) ? d.context : undefined,
        };
        const key = answerKey(person, review, place);
        if (find(key)) continue;
        try {
          const typed = { ...(JSON.parse(d.text) as Typed), id: newID() };
          put(composed(key, person, review, place, typed, known.current));
        } catch {
          // A draft of another program's making is left where it is.
        }
      }
    },
    [person, review],
  );

  /** Gives up what was typed at a place. */
  const drop = useCallback(
    (place: Place) => {
      const key = answerKey(person, review, place);
      clearTimeout(timers.current[key]);
      remove(key);
      void saveDraft(place, "");
    },
    [person, review, saveDraft],
  );

  // What the version before this one kept, in the browser's older store.
  useEffect(() => {
    const older = `desk ${review} ${person}`;
    try {
      const had = JSON.parse(localStorage.getItem(older) ?? "{}") as Record<string, { place: Place; typed: Typed }>;
      for (const { place, typed } of Object.values(had)) {
        const key = answerKey(person, review, place);
        if (!find(key)) put(composed(key, person, review, place, typed, known.current));
      }
    } catch {
      // What is not readable was not written by the console.
    }
    localStorage.removeItem(older);
  }, [person, review]);

  return { items, savedAt, type, send, retry, adopt, drop };
}

export type Outbox = ReturnType<typeof useOutbox>;

/** What is typed, with what is sent of it: made at once, so that it can be sent when the desk is closed. */
function composed(key: string, person: string, review: string, place: Place, typed: Typed, list: Checklist): Unsent {
  const c = findCriterion(list, place.criterion);
  const a: Unsent = {
    key,
    person,
    review,
    place,
    title: c ? titleOf(c) : place.criterion,
    section: list.sections.find((s) => s.criteria.some((x) => x.key === place.criterion))?.key ?? "",
    typed,
    asked: c?.context,
    state: "typing",
    sent: false,
    tab,
    changed: Date.now(),
  };
  if (!c) return a;
  try {
    const given = answer(c, typed);
    if (!given) return a;
    a.body = {
      criterion: place.criterion,
      rig: place.rig,
      context: place.context ?? c.context,
      system: typed.system || undefined,
      bound: typed.bound || undefined,
      repeat: typed.repeat || undefined,
      answer: given,
      adjustment: adjustment(typed),
      disturbance: typed.disturbance.trim() || undefined,
      note: typed.note.trim() || undefined,
      confirm: !!typed.note.trim() || undefined,
    };
  } catch (error) {
    if (!(error instanceof NotANumber)) throw error;
    a.fault = faultOf(error);
  }
  return a;
}

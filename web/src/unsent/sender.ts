import type { QueryClient } from "@tanstack/react-query";
import { api, Refusal, take, Unreachable } from "../api";
import type { Reading } from "../checklist";
import { outdated, sourceKey } from "../keys";
import { isOpen, stayAlive, tab } from "../local";
import { standing } from "../pages/desk/standing";
import { askSession, hasEnded } from "../session";
import { shared, useShared } from "../shared";
import { answersOf, change, faultOf, find, isKept, loadAnswers, put, remove, type Unsent } from "./answers";
import { newID } from "../ids";

const retryEvery = 3000;

// When something was saved last, by review.
const saved = shared<Readonly<Record<string, Date>>>({});

/** When an answer of a review was saved last, since the page was opened. */
export const useSavedAt = (review: string): Date | undefined => useShared(saved)[review];

/**
 * Sends a person's answers for as long as they are signed in, whatever page is open: those that wait, and those of
 * tabs that were closed before they could send them. Answers with a function that ends it.
 */
export function startSending(person: string, queries: QueryClient): () => void {
  stayAlive();
  let ended = false;
  const sweep = async () => {
    await loadAnswers();
    for (const a of answersOf(person)) {
      if (ended || hasEnded()) return;
      if (a.state === "waiting" || a.state === "paused") await send(a.key, queries);
      else if ((a.state === "typing" || a.state === "sending") && !(await isOpen(a.tab, a.changed)))
        await send(a.key, queries);
    }
  };
  let sweeping: Promise<void> | undefined;
  const again = () => {
    sweeping ??= sweep().finally(() => (sweeping = undefined));
  };
  again();
  const timer = setInterval(again, retryEvery);
  window.addEventListener("online", again);
  return () => {
    ended = true;
    clearInterval(timer);
    window.removeEventListener("online", again);
  };
}

/** Only one tab sends an answer at a time. Where tabs cannot agree, its id keeps it from being recorded twice. */
const alone = async (key: string, work: () => Promise<void>): Promise<void> =>
  navigator.locks
    ? await navigator.locks.request(`dapper-tally send ${key}`, { ifAvailable: true }, async (lock) => {
        if (lock) await work();
      })
    : await work();

/** Sends an answer now, unless it is on its way; the answer's state shows the outcome. */
export const send = (key: string, queries: QueryClient): Promise<void> =>
  alone(key, async () => {
    const a = find(key);
    if (!a?.body || (a.state === "sending" && a.tab === tab) || !(await isKept(key))) return;
    const answered = a.answered ?? a.changed;
    put({ ...a, answered, state: "sending", sent: true, fault: undefined, tab, changed: Date.now() });
    try {
      await record({ ...a, answered }, queries);
    } catch (error) {
      if (find(key)?.typed.id === a.typed.id) await fail(key, error as Error, queries);
      return;
    }
    if (find(key)?.typed.id === a.typed.id) remove(key);
    saved.set({ ...saved.get(), [a.review]: new Date() });
    await outdated(queries, sourceKey("readings", a.review), sourceKey("desk", a.review));
    void outdated(queries, sourceKey("review", a.review));
  });

async function record(a: Unsent, queries: QueryClient) {
  const { readings } = await queries.fetchQuery({
    queryKey: sourceKey("readings", a.review),
    queryFn: () => take(api.GET("/reviews/{id}/readings", { params: { path: { id: a.review } } })),
    staleTime: a.sent ? 0 : 30_000, // sent before, it may be there already
    retry: false,
  });
  const mine = standing(readings, a.place, a.asked).findLast((r: Reading) => r.reviewer === a.person);
  await take(
    api.PUT("/reviews/{id}/readings/{reading}", {
      params: { path: { id: a.review, reading: a.typed.id } },
      body: { ...a.body!, ago: ago(a), replaces: mine && mine.id !== a.typed.id ? mine.id : undefined },
    }),
  );
}

/** How long an answer has waited, in seconds; undefined for one that is sent at once. */
function ago({ answered = Date.now() }: Unsent): number | undefined {
  const seconds = Math.round((Date.now() - answered) / 1000);
  return seconds > 60 ? seconds : undefined;
}

async function fail(key: string, error: Error, queries: QueryClient) {
  const out = error instanceof Refusal && [401, 403, 404].includes(error.problem.status) && (await isOut(key, queries));
  change(key, { state: error instanceof Unreachable ? "waiting" : out ? "paused" : "refused", fault: faultOf(error) });
}

/** Whether the writer of an answer is signed in no more: then nothing is wrong with the answer. */
async function isOut(key: string, queries: QueryClient): Promise<boolean> {
  try {
    const session = await queries.fetchQuery({
      queryKey: sourceKey("session"),
      queryFn: askSession,
      staleTime: 0,
      retry: false,
    });
    return hasEnded() || session.person?.name !== find(key)?.person;
  } catch {
    return false;
  }
}

/** Sends what was refused once more, as a new reading that replaces the current one. */
export async function sendAnew(key: string, queries: QueryClient) {
  const a = find(key);
  if (!a) return;
  await queries.refetchQueries({ queryKey: sourceKey("readings", a.review) });
  change(key, { typed: { ...a.typed, id: newID() }, state: "waiting", fault: undefined, sent: false });
  await send(key, queries);
}

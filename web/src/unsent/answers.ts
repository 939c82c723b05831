import { Refusal, Unreachable, type Problem, type Schemas } from "../api";
import type { Criterion } from "../checklist";
import { everyKept, keep, local, tab } from "../local";
import { shared, useShared } from "../shared";
import type { Typed } from "../pages/desk/typed";

export type Context = NonNullable<Criterion["context"]>;

/** Where something is typed: a criterion on a rig, and in which context where that is not the one asked for. */
export type Place = { criterion: string; rig: string; context?: Context };

export const placeKey = (p: Place) =>
  [p.criterion, p.rig, ...(p.context ? [p.context.method, p.context.setup, p.context.phase] : [])].join("|");

/** An answer that was typed and that the service does not have yet. */
export type Unsent = {
  /** Person, review and place: there is one answer for each. */
  key: string;
  person: string;
  review: string;
  place: Place;
  /** The criterion's title, to name the answer by. */
  title: string;
  section: string;
  typed: Typed;
  /** What is sent, without what it replaces; undefined while the fields hold no answer. */
  body?: Omit<Schemas["NewReading"], "replaces">;
  /** The context that the criterion asks for. */
  asked?: Context;
  /** typing: not left yet · sending · waiting: sent when possible · paused: signed out · refused: see fault */
  state: "typing" | "sending" | "waiting" | "paused" | "refused";
  fault?: Fault;
  /** It was sent with this id at least once, and the answer may have been lost. */
  sent: boolean;
  /** The tab that it was typed in, and when, in milliseconds since 1970. */
  tab: string;
  changed: number;
  /** When the answer was complete: an answer that has to wait keeps its time. */
  answered?: number;
};

/** Whether an answer stays here for another reason than that it is being typed or sent. */
export const isStuck = (a: Unsent) => a.state !== "typing" && a.state !== "sending";

/** Why an answer was rejected, in a form that the browser can store. */
export type Fault = { message: string; problem?: Problem; away?: boolean };

export const faultOf = (error: Error): Fault => ({
  message: error.message,
  problem: error instanceof Refusal ? error.problem : undefined,
  away: error instanceof Unreachable || undefined,
});

/** The error that a fault was made of. */
export const errorOf = (fault: Fault): Error =>
  fault.problem ? new Refusal(fault.problem) : fault.away ? new Unreachable(fault.message) : new Error(fault.message);

export const answerKey = (person: string, review: string, place: Place) => `${person} ${review} ${placeKey(place)}`;

// All of this browser's unsent answers, the same in every tab.
const all = shared<readonly Unsent[]>([]);
const channel = typeof BroadcastChannel === "undefined" ? undefined : new BroadcastChannel("dapper-tally answers");

type Message = { put: Unsent } | { removed: string };

function replace(key: string, answer: Unsent | undefined) {
  all.set([...all.get().filter((a) => a.key !== key), ...(answer ? [answer] : [])]);
}

if (channel)
  channel.onmessage = (e) => {
    const m = e.data as Message;
    if ("put" in m) replace(m.put.key, m.put);
    else replace(m.removed, undefined);
  };

let loaded: Promise<void> | undefined;

/** Reads what the browser has kept; what was typed since then stays. */
export function loadAnswers(): Promise<void> {
  loaded ??= (async () => {
    const kept = await everyKept("answers");
    for (const a of all.get()) kept.set(a.key, a);
    all.set([...kept.values()]);
  })();
  return loaded;
}

export const find = (key: string) => all.get().find((a) => a.key === key);
export const answersOf = (person: string) => all.get().filter((a) => a.person === person);

/** Keeps an answer, here and in every other tab. */
export function put(answer: Unsent) {
  replace(answer.key, answer);
  channel?.postMessage({ put: answer } satisfies Message);
  keep("answers", answer.key, answer);
}

/** Changes an answer that is kept; nothing where it is not there any more. */
export function change(key: string, to: Partial<Unsent>) {
  const answer = find(key);
  if (answer) put({ ...answer, ...to, tab, changed: Date.now() });
}

/** Forgets an answer: the service has it, or its writer gave it up. */
export function remove(key: string) {
  replace(key, undefined);
  channel?.postMessage({ removed: key } satisfies Message);
  keep("answers", key, undefined);
}

/** Whether the browser still keeps an answer: another tab may have sent it a moment ago. */
export async function isKept(key: string): Promise<boolean> {
  const db = await local();
  return !!find(key) && (!db || (await db.getKey("answers", key)) !== undefined);
}

/** Every unsent answer of this browser, as they change. */
export const useAnswers = () => useShared(all);

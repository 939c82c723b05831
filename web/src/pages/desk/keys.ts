import { useSyncExternalStore } from "react";

/**
 * What letters do on the desk. A letter is a place on the keyboard, named as on the layout QWERTY, so that the keys
 * lie alike on every layout.
 */
export const deskActs = [
  { act: "next", letter: "J", does: "next criterion" },
  { act: "previous", letter: "K", does: "previous criterion" },
  { act: "not-tested", letter: "N", does: "not tested, with the reason" },
  { act: "not-applicable", letter: "P", does: "not applicable, with the reason" },
  { act: "adjust", letter: "A", does: "take a known offset off every run" },
  { act: "bound", letter: "B", does: "only about, at least, at most the value" },
  { act: "repeat", letter: "U", does: "measured again after a restart" },
  { act: "disturbance", letter: "D", does: "disturbed: keep it, but do not score it" },
  { act: "note", letter: "E", does: "a note" },
  { act: "evidence", letter: "V", does: "evidence: pictures, logs, a link" },
  { act: "stopwatch", letter: "X", does: "stopwatch: start and stop" },
  { act: "lap", letter: "Z", does: "stopwatch: lap" },
  { act: "context", letter: "C", does: "method, setup or phase for what follows" },
  { act: "state", letter: "T", does: "a new state of the system" },
  { act: "findings", letter: "F", does: "findings; again: back to the questions" },
  { act: "rig", letter: "R", does: "next rig" },
  { act: "section", letter: "S", does: "next section" },
] as const;

export type DeskAct = (typeof deskActs)[number]["act"];

const keptAs = "desk keys";
type Letters = Record<DeskAct, string>;

const standard = Object.fromEntries(deskActs.map((a) => [a.act, a.letter])) as Letters;

function kept(): Letters {
  try {
    return { ...standard, ...(JSON.parse(localStorage.getItem(keptAs) ?? "{}") as Partial<Letters>) };
  } catch {
    return standard;
  }
}

let letters = kept();
const listeners = new Set<() => void>();

function set(next: Letters) {
  letters = next;
  localStorage.setItem(keptAs, JSON.stringify(next));
  listeners.forEach((hear) => hear());
}

const subscribe = (hear: () => void) => {
  listeners.add(hear);
  return () => listeners.delete(hear);
};

/** The letter of each act, as its user has set it. */
export const useDeskLetters = () => useSyncExternalStore(subscribe, () => letters);

/** Gives an act another letter; the act that had it gets the letter that becomes free. */
export function setLetter(act: DeskAct, letter: string) {
  const other = deskActs.find((a) => letters[a.act] === letter)?.act;
  set({ ...letters, ...(other ? { [other]: letters[act] } : {}), [act]: letter });
}

export const resetLetters = () => set(standard);

/** The letter of a key, by its place; empty where it has none. */
export const letterOf = (code: string) => (/^Key[A-Z]$/.test(code) ? code.slice(3) : "");

/** What a key does on the desk; undefined where it does nothing. */
export const actOf = (code: string): DeskAct | undefined =>
  deskActs.find((a) => letters[a.act] === letterOf(code))?.act;

// What stands on the keys, where the browser tells.
let labels: Readonly<Record<string, string>> = {};
type LayoutMap = Iterable<[string, string]>;
void (navigator as { keyboard?: { getLayoutMap?: () => Promise<LayoutMap> } }).keyboard
  ?.getLayoutMap?.()
  .then((map) => {
    labels = Object.fromEntries(map);
    listeners.forEach((hear) => hear());
  })
  .catch(() => undefined); // not on a secure origin

/** What stands on the key of each act. */
export function useDeskKeys(): (act: DeskAct) => string {
  const now = useDeskLetters();
  const on = useSyncExternalStore(subscribe, () => labels);
  return (act) => (on[`Key${now[act]}`] ?? now[act]).toUpperCase();
}

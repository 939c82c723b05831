import { shared, useShared } from "../../shared";

/**
 * What letters do on the desk. A letter is a place on the keyboard, named as on the layout QWERTY, so that the keys
 * lie alike on every layout.
 */
export const deskActs = [
  { act: "next", letter: "J", does: "next criterion" },
  { act: "previous", letter: "K", does: "previous criterion" },
  { act: "not-tested", letter: "N", does: "not tested, with the reason" },
  { act: "not-applicable", letter: "P", does: "not applicable, with the reason" },
  { act: "adjust", letter: "A", does: "subtract a known offset from every run" },
  { act: "bound", letter: "B", does: "known only as about, at least or at most the value" },
  { act: "repeat", letter: "U", does: "measured again after a restart" },
  { act: "disturbance", letter: "D", does: "disturbed: save it, but do not score it" },
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

const letters = shared(kept());

function set(next: Letters) {
  letters.set(next);
  localStorage.setItem(keptAs, JSON.stringify(next));
}

/** Gives an act another letter; the act that had it gets the letter that becomes free. */
export function setLetter(act: DeskAct, letter: string) {
  const now = letters.get();
  const other = deskActs.find((a) => now[a.act] === letter)?.act;
  set({ ...now, ...(other ? { [other]: now[act] } : {}), [act]: letter });
}

export const resetLetters = () => set(standard);

/** The letter of a key, by its place; empty where it has none. */
export const letterOf = (code: string) => (/^Key[A-Z]$/.test(code) ? code.slice(3) : "");

/** What a key does on the desk; undefined where it does nothing. */
export const actOf = (code: string): DeskAct | undefined =>
  deskActs.find((a) => letters.get()[a.act] === letterOf(code))?.act;

// The labels of the keys, if the browser knows them.
const labels = shared<Readonly<Record<string, string>>>({});
type LayoutMap = Iterable<[string, string]>;
void (navigator as { keyboard?: { getLayoutMap?: () => Promise<LayoutMap> } }).keyboard
  ?.getLayoutMap?.()
  .then((map) => labels.set(Object.fromEntries(map)))
  .catch(() => undefined); // not on a secure origin

/** The label of the key of each action. */
export function useDeskKeys(): (act: DeskAct) => string {
  const now = useShared(letters);
  const on = useShared(labels);
  return (act) => (on[`Key${now[act]}`] ?? now[act]).toUpperCase();
}

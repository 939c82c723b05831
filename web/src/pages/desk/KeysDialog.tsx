import { Close, Sheet } from "../../components/Sheet";
import { useState, type KeyboardEvent } from "react";
import { deskActs, letterOf, resetLetters, setLetter, useDeskKeys, type DeskAct } from "./keys";

/** Keys that stay as they are. */
const fixed: [string, string][] = [
  ["Enter", "next field, then next criterion"],
  ["1 – 9", "choose an answer, or what became of an item"],
  ["Esc", "leave a field"],
  ["submit", "submit"],
  ["?", "this list of keys"],
];

/** Every key of the desk, each letter to be changed. */
export function KeysDialog({
  open,
  onOpen,
  letters,
  onLetters,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  letters: boolean;
  onLetters: (on: boolean) => void;
}) {
  const keyOf = useDeskKeys();
  const [changing, setChanging] = useState<DeskAct>();
  const press = (e: KeyboardEvent) => {
    const letter = letterOf(e.code);
    if (!changing || !letter || e.ctrlKey || e.altKey || e.metaKey) return;
    e.preventDefault();
    setLetter(changing, letter);
    setChanging(undefined);
  };
  return (
    <Sheet
      open={open}
      onOpen={(on: boolean) => (setChanging(undefined), onOpen(on))}
      title="Keys of the desk"
      onKeys={press}
      says="Choose a letter, then press the new key."
    >
      <dl className="my-3 grid grid-cols-[6rem_1fr] items-baseline gap-y-1">
        {deskActs.map(({ act, does }) => (
          <div key={act} className="contents">
            <dt>
              <button
                type="button"
                aria-label={`Key for: ${does}`}
                aria-pressed={changing === act}
                className={`min-h-6 min-w-6 ${changing === act ? "bg-chosen" : ""}`}
                onClick={() => setChanging(changing === act ? undefined : act)}
              >
                {changing === act ? "press a key" : <span className="key">{keyOf(act)}</span>}
              </button>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
        {fixed.map(([key, does]) => (
          <div key={key} className="contents">
            <dt>
              <span className="key">{key}</span>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-(--accent)"
          checked={letters}
          onChange={(e) => onLetters(e.target.checked)}
        />{" "}
        Use letter keys
      </label>
      <p className="mt-4 flex gap-6">
        <Close className="act">Close</Close>
        <button type="button" className="act" onClick={resetLetters}>
          Reset the keys
        </button>
      </p>
    </Sheet>
  );
}

import { Close, Sheet } from "../Sheet";
import { useLocation } from "react-router";
import { closeOver } from "../../palette";

const keys: [keys: string[], does: string][] = [
  [["Ctrl", "K"], "search for anything, or run a command"],
  [["?"], "this list of keys"],
  [["Tab"], "next control; with Shift, the one before"],
  [["↑", "↓"], "in a table: the same place in the next or previous row"],
  [["Enter"], "open, press, choose"],
  [["Esc"], "close the dialog, leave a field"],
];

/** The keys that act on every page. */
export default function Keys() {
  const desk = useLocation().pathname.startsWith("/desk/");
  return (
    <Sheet open onOpen={(open) => !open && closeOver()} title="Keys">
      <dl className="my-3 grid grid-cols-[6rem_1fr] items-baseline gap-y-1">
        {keys.map(([names, does]) => (
          <div key={does} className="contents">
            <dt className="flex gap-1">
              {names.map((name) => (
                <span key={name} className="key">
                  {name}
                </span>
              ))}
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
      </dl>
      <p className="text-[13px] text-soft">
        {desk ? "The desk has its own keys. They are listed on the desk." : "The desk of a review has its own keys."}
      </p>
      <Close className="act mt-4">Close</Close>
    </Sheet>
  );
}

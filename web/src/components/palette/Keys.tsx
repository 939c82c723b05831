import { Close, Sheet } from "../Sheet";
import { useLocation } from "react-router";
import { closeOver } from "../../palette";

const keys: [keys: string[], does: string][] = [
  [["Ctrl", "K"], "go to anything by its name, or do something with it"],
  [["?"], "this list"],
  [["Tab"], "to the next thing that can be acted on; with Shift, back"],
  [["↑", "↓"], "in a table: the same place in the row before or after"],
  [["Enter"], "follow, press, choose"],
  [["Esc"], "close what lies over the page, leave a field"],
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
        {desk ? "The desk has keys of its own, listed there." : "The desk of a review has keys of its own."}
      </p>
      <Close className="act mt-4">Close</Close>
    </Sheet>
  );
}

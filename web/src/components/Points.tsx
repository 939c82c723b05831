import { score } from "../numbers";
import { hue } from "./Figures";

/** Points from 0 to 100 as a figure with a short bar. */
export function Points({ value, index }: { value?: number | null; index: number }) {
  return (
    <span className="flex items-center justify-end gap-2">
      <span className="block h-[5px] w-16 bg-wash" aria-hidden="true">
        {value != null && <span className="block h-full" style={{ width: `${value}%`, background: hue(index) }} />}
      </span>
      <span className="w-10 text-right">{score(value)}</span>
    </span>
  );
}

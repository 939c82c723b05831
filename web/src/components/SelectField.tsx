import type { Option } from "./Choice";
import { Choice } from "./Choice";

/** A choice among a few as a row of a form: its label above it. */
export function SelectField(props: {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
}) {
  return (
    <div className="min-w-0">
      <span aria-hidden="true" className="block text-[13px] text-soft">
        {props.label}
      </span>
      <Choice quiet {...props} />
    </div>
  );
}

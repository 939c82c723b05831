import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";
import type { Option } from "./Choice";
import { triggerLook } from "./choiceLook";

// Radix keeps the empty value for itself; ours stands for "none chosen".
const NONE = "none chosen";

/** The list of a choice, open as soon as it is there. */
export default function ChoiceMenu({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
}) {
  return (
    <Select.Root defaultOpen value={value || NONE} onValueChange={(v) => onChange(v === NONE ? "" : v)}>
      <Select.Trigger aria-label={label} className={triggerLook}>
        <span className="truncate">
          <Select.Value />
        </span>
        <ChevronDown size={13} aria-hidden="true" />
      </Select.Trigger>
      <Select.Portal>
        <Select.Content
          position="popper"
          sideOffset={4}
          className="z-40 max-h-[60vh] max-w-[92vw] border border-ink bg-paper py-1 text-ink"
        >
          <Select.Viewport>
            {options.map((o) => (
              <Select.Item
                key={o.value}
                value={o.value || NONE}
                className="cursor-pointer px-3 py-1 outline-none data-[highlighted]:bg-chosen data-[state=checked]:font-semibold"
              >
                <Select.ItemText>{o.label}</Select.ItemText>
              </Select.Item>
            ))}
          </Select.Viewport>
        </Select.Content>
      </Select.Portal>
    </Select.Root>
  );
}

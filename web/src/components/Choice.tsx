import { ChevronDown } from "lucide-react";
import { Select } from "radix-ui";

export type Option = { value: string; label: string };

// Radix keeps the empty value for itself; ours stands for "none chosen".
const NONE = "none chosen";

/** A choice among a few: text with an underline that opens a list. */
export function Choice({
  label,
  value,
  options,
  onChange,
  quiet = false,
}: {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
  quiet?: boolean;
}) {
  return (
    <span className="inline-flex max-w-full flex-wrap items-baseline gap-x-2">
      <span className={quiet ? "sr-only" : "text-soft"}>{label}</span>
      <Select.Root value={value || NONE} onValueChange={(v) => onChange(v === NONE ? "" : v)}>
        <Select.Trigger
          aria-label={label}
          className="inline-flex min-h-[24px] items-center gap-1 border-b border-ink px-1 font-medium whitespace-nowrap"
        >
          <Select.Value />
          <ChevronDown size={13} aria-hidden="true" />
        </Select.Trigger>
        <Select.Portal>
          <Select.Content
            position="popper"
            sideOffset={4}
            className="z-20 max-h-[60vh] border border-ink bg-paper py-1 text-ink"
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
    </span>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useCombobox } from "downshift";
import { useId, useState } from "react";
import { api, take, type Schemas } from "../api";
import { sourceKey } from "../keys";

export type Found = Schemas["Found"];

/** What the service finds by words, once there are some. */
export function useFound(words: string, sorts: Schemas["FoundSort"][], reviewed?: boolean) {
  const find = words.trim();
  return useQuery<Found[]>({
    queryKey: sourceKey("found", find, sorts, reviewed),
    enabled: find !== "",
    staleTime: 30_000,
    notifyOnChangeProps: "all",
    placeholderData: (old) => old,
    queryFn: ({ signal }) =>
      take(api.GET("/search", { params: { query: { find, sort: sorts, reviewed } }, signal })).then((l) => l.found),
  });
}

/**
 * A field that finds something by words of its name and gives its key; a key may be typed as well. `onPick` gets
 * what was chosen from the list.
 */
export function Combobox({
  label,
  sort,
  reviewed,
  value,
  onChange,
  onPick,
  onEnter,
  without = [],
  placeholder,
  required,
}: {
  label: string;
  sort: Schemas["FoundSort"];
  reviewed?: boolean;
  value: string;
  onChange: (key: string) => void;
  onPick?: (found: Found) => void;
  /** Enter, with nothing of the list in hand. */
  onEnter?: () => void;
  /** Keys that are not offered. */
  without?: string[];
  placeholder?: string;
  required?: boolean;
}) {
  const id = useId();
  const [open, setOpen] = useState(false);
  const found = useFound(open ? value : "", [sort], reviewed);
  const items = value.trim() ? (found.data ?? []).filter((f) => !without.includes(f.key)) : [];
  const box = useCombobox<Found>({
    id,
    items,
    inputValue: value,
    itemToString: (f) => f?.key ?? "",
    onIsOpenChange: ({ isOpen }) => setOpen(isOpen),
    onSelectedItemChange: ({ selectedItem }) => {
      if (!selectedItem) return;
      onChange(selectedItem.key);
      onPick?.(selectedItem);
    },
    selectedItem: null,
  });
  return (
    <div className="relative min-w-0">
      <label {...box.getLabelProps()} className="block text-[13px] text-soft">
        {label}
      </label>
      <input
        {...box.getInputProps({
          onChange: (e) => onChange(e.currentTarget.value), // at once: later the caret jumps
          onKeyDown: (e) => {
            if (e.key !== "Enter" || box.highlightedIndex >= 0 || !onEnter) return;
            e.preventDefault();
            onEnter();
          },
        })}
        className="field w-72 max-w-full"
        required={required}
        placeholder={placeholder}
        autoComplete="off"
        spellCheck={false}
      />
      <ul
        {...box.getMenuProps({ "aria-label": label })}
        className={`absolute z-20 max-h-[50vh] w-max max-w-[min(34rem,90vw)] min-w-full overflow-y-auto bg-paper ${box.isOpen && value.trim() ? "border border-ink py-1" : ""}`}
      >
        {box.isOpen &&
          items.map((f, index) => (
            <li
              key={f.key}
              {...box.getItemProps({ item: f, index })}
              className={`cursor-pointer px-3 py-1 ${box.highlightedIndex === index ? "bg-chosen" : ""}`}
            >
              {f.title} {f.detail && <span className="text-[13px] text-soft">{f.detail}</span>}
            </li>
          ))}
        {box.isOpen && value.trim() && items.length === 0 && (
          <li className="px-3 py-1 text-[13px] text-soft">
            {found.isError ? found.error.message : found.isFetching ? "Looking…" : "Nothing matches."}
          </li>
        )}
      </ul>
    </div>
  );
}

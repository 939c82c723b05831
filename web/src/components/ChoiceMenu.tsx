import { useSelect } from "downshift";
import { ChevronDown } from "lucide-react";
import { useEffect, useLayoutEffect, useRef, useState } from "react";
import type { Option } from "./Choice";
import { triggerLook } from "./choiceLook";

/** The list of a choice, open as soon as it is there. It lies over everything, whatever it is in. */
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
  const box = useSelect<Option>({
    items: options,
    selectedItem: options.find((o) => o.value === value) ?? null,
    itemToString: (o) => o?.label ?? "",
    itemToKey: (o) => o?.value,
    initialIsOpen: true,
    onSelectedItemChange: ({ selectedItem }) => selectedItem && onChange(selectedItem.value),
  });
  const opener = useRef<HTMLButtonElement>(null);
  const menu = useRef<HTMLUListElement>(null);
  const [place, setPlace] = useState({ left: 0, top: 0 });
  const { isOpen, closeMenu } = box;
  // It takes the place of a button that had the focus.
  useEffect(() => opener.current?.focus({ preventScroll: true }), []);
  useLayoutEffect(() => {
    if (!isOpen || !opener.current || !menu.current) return;
    const list = menu.current;
    list.showPopover();
    const at = opener.current.getBoundingClientRect();
    const below = innerHeight - at.bottom;
    setPlace({
      left: Math.max(4, Math.min(at.left, innerWidth - list.offsetWidth - 4)),
      top: below > list.offsetHeight + 8 || below > at.top ? at.bottom + 4 : at.top - list.offsetHeight - 4,
    });
    const moved = (e: Event) => e.target !== list && closeMenu();
    addEventListener("scroll", moved, true);
    return () => {
      removeEventListener("scroll", moved, true);
      list.hidePopover();
    };
  }, [isOpen, closeMenu]);
  return (
    <>
      <button type="button" {...box.getToggleButtonProps({ ref: opener, "aria-label": label })} className={triggerLook}>
        <span className="truncate">{options.find((o) => o.value === value)?.label ?? ""}</span>
        <ChevronDown size={13} aria-hidden="true" />
      </button>
      <ul
        popover="manual"
        {...box.getMenuProps({ ref: menu, "aria-label": label })}
        className="fixed inset-auto m-0 max-h-[60vh] max-w-[92vw] overflow-y-auto border border-ink bg-paper py-1 text-ink"
        style={place}
      >
        {isOpen &&
          options.map((o, index) => (
            <li
              key={o.value}
              {...box.getItemProps({ item: o, index })}
              className={[
                "cursor-pointer px-3 py-1 whitespace-nowrap",
                box.highlightedIndex === index ? "bg-chosen" : "",
                o.value === value ? "font-semibold" : "",
              ].join(" ")}
            >
              {o.label}
            </li>
          ))}
      </ul>
    </>
  );
}

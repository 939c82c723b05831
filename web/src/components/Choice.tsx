import { ChevronDown } from "lucide-react";
import { Suspense, useState, type KeyboardEvent } from "react";
import { part } from "../chunks";
import { triggerLook } from "./choiceLook";

export type Option = { value: string; label: string };

const fetchMenu = () => import("./ChoiceMenu");
const prefetchMenu = () => void fetchMenu().catch(() => undefined); // drawing it asks again
const Menu = part(fetchMenu);

type Choosing = {
  label: string;
  value: string;
  options: Option[];
  onChange: (value: string) => void;
};

/** A choice among a few: text with an underline that opens a list. */
export function Choice({ quiet = false, ...choosing }: Choosing & { quiet?: boolean }) {
  return (
    <span className="inline-flex max-w-full flex-wrap items-baseline gap-x-2">
      <span className={quiet ? "sr-only" : "text-soft"}>{choosing.label}</span>
      <Opener {...choosing} />
    </span>
  );
}

/** What opens the list. The code of the list is fetched when somebody is about to open one. */
function Opener(choosing: Choosing) {
  const [opened, setOpened] = useState(false);
  const { label, value, options } = choosing;
  const closed = (
    <button
      type="button"
      role="combobox"
      aria-label={label}
      aria-expanded={false}
      aria-haspopup="listbox"
      className={triggerLook}
      onPointerEnter={prefetchMenu}
      onFocus={prefetchMenu}
      onClick={() => setOpened(true)}
      onKeyDown={(e: KeyboardEvent) => {
        if (e.key === "ArrowDown" || e.key === "ArrowUp") {
          e.preventDefault();
          setOpened(true);
        }
      }}
    >
      <span className="truncate">{options.find((o) => o.value === value)?.label ?? ""}</span>
      <ChevronDown size={13} aria-hidden="true" />
    </button>
  );
  if (!opened) return closed;
  return (
    <Suspense fallback={closed}>
      <Menu {...choosing} />
    </Suspense>
  );
}

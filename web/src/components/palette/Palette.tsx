import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCombobox } from "downshift";
import { Dialog } from "radix-ui";
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "../../api";
import { outdated } from "../../keys";
import { closeOver } from "../../palette";
import { useMay } from "../../session";
import { useFound, type Found } from "../Combobox";
import { Refused } from "../States";
import { everySort, sortTitles } from "./sorts";
import { placesFor } from "./places";

type Way = {
  key: string;
  group: string;
  title: string;
  detail?: string;
} & ({ to: string } | { begin: string });

// Of editions, so many offer what can be done with them.
const actedOn = 3;

/** Where things that were found lead, and what can be done with them. */
function waysOf(found: Found[], may: (what: Schemas["Capability"]) => boolean): Way[] {
  const ways: Way[] = found.map((f) => ({
    key: `${f.sort} ${f.key}`,
    group: sortTitles[f.sort],
    title: f.title,
    detail: f.detail,
    to: f.address,
  }));
  const editions = found.filter((f) => f.sort === "edition").slice(0, actedOn);
  if (may("record-readings") || may("plan-reviews"))
    for (const f of editions)
      ways.push({
        key: `start ${f.key}`,
        group: "Action",
        title: `${may("record-readings") ? "Start" : "Plan"} a review of ${f.title}`,
        begin: f.key,
      });
  for (const f of found.filter((f) => f.sort === "criterion").slice(0, actedOn))
    ways.push({
      key: `by ${f.key}`,
      group: "Action",
      title: `Order the ranking by ${f.title}`,
      to: `/?criterion=${encodeURIComponent(f.key)}`,
    });
  return ways;
}

/** A field over the page that goes to anything by a few letters of its name, or does something with it. */
export default function Palette() {
  const [text, setText] = useState("");
  const words = useDeferredValue(text);
  const found = useFound(words, everySort);
  const may = useMay();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const begin = useMutation({
    mutationFn: (edition: string) => take(api.POST("/reviews", { body: { edition } })),
    onSuccess: (r) => {
      void outdated(queries, "reviews", "queue");
      go(`/desk/${r.id}`);
    },
  });
  const go = (to: string) => {
    closeOver();
    if (/^\/reports\/[^/]+$/.test(to) && to !== "/reports/new")
      location.assign(to); // published reports are pages of their own
    else void navigate(to);
  };
  const answers = found.data;
  const ways = useMemo(() => {
    const pages: Way[] = placesFor(words, may).map((p) => ({ key: p.to, group: "Page", title: p.title, to: p.to }));
    return [...pages, ...(words.trim() ? waysOf(answers ?? [], may) : [])];
  }, [words, answers, may]);
  const box = useCombobox<Way>({
    items: ways,
    isOpen: true,
    defaultHighlightedIndex: 0,
    inputValue: text,
    selectedItem: null,
    itemToString: (w) => w?.title ?? "",
    onSelectedItemChange: ({ selectedItem: way }) => {
      if (!way) return;
      if ("begin" in way) begin.mutate(way.begin);
      else go(way.to);
    },
  });
  // A list that became shorter leaves the highlight behind its end.
  const lost = box.highlightedIndex >= ways.length;
  const { setHighlightedIndex } = box;
  useEffect(() => {
    if (lost && ways.length > 0) setHighlightedIndex(0);
  }, [lost, ways.length, setHighlightedIndex]);
  return (
    <Dialog.Root open onOpenChange={(open) => !open && closeOver()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/40" />
        <Dialog.Content
          className="fixed top-[10vh] left-1/2 z-30 flex max-h-[76vh] w-[min(94vw,640px)] -translate-x-1/2 flex-col border border-ink border-l-accent bg-paper text-ink"
          onKeyDown={(e) => e.stopPropagation()}
          aria-describedby={undefined}
        >
          <Dialog.Title className="sr-only">Search</Dialog.Title>
          <label {...box.getLabelProps()} className="sr-only">
            Search for a page or a command
          </label>
          <input
            {...box.getInputProps({ onChange: (e) => setText(e.currentTarget.value) })} // at once: later the caret jumps
            {...(lost && { "aria-activedescendant": undefined })}
            className="border-b border-ink bg-transparent px-4 py-3 text-[17px] outline-none"
            placeholder="An edition, a criterion, a report, a page …"
            autoComplete="off"
            spellCheck={false}
          />
          <Refused error={begin.error} className="px-4 py-2" />
          <ul {...box.getMenuProps({ "aria-label": "Results" })} className="overflow-y-auto py-1">
            {ways.map((way, index) => (
              <li
                key={way.key}
                {...box.getItemProps({ item: way, index })}
                className={`grid cursor-pointer grid-cols-[6.5rem_1fr] gap-x-3 px-4 py-1 ${box.highlightedIndex === index ? "bg-chosen" : ""}`}
              >
                <span className="text-[13px] text-soft">{way.group}</span>
                <span className="wrap-anywhere">
                  {way.title} {way.detail && <span className="text-[13px] text-soft">{way.detail}</span>}
                </span>
              </li>
            ))}
          </ul>
          <p role="status" className="border-t border-rule px-4 py-2 text-[13px] text-soft">
            {found.isError
              ? found.error.message
              : ways.length === 0
                ? found.isFetching
                  ? "Looking…"
                  : "Nothing matches."
                : "Arrow keys choose, Enter opens, Esc closes."}
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

import {
  columnVisibilityFeature,
  createSortedRowModel,
  rowSortingFeature,
  tableFeatures,
  useTable,
  type ColumnDef,
  type RowData,
} from "@tanstack/react-table";
import { useVirtualizer, type Range } from "@tanstack/react-virtual";
import { Fragment, useDeferredValue, useMemo, useRef, useState, type FocusEvent, type KeyboardEvent } from "react";
import { order, says, widest, type Column } from "./columns";
import { Gap } from "./Gap";
import { usePrinting } from "./printing";
import { Tools } from "./Tools";

// A table of more rows than these has tools, and one of more than those draws only the rows in view.
const withTools = 15;
const drawnWhole = 80;
const rowHeight = 31; // of one line, in pixels

const features = tableFeatures({
  rowSortingFeature,
  columnVisibilityFeature,
  sortedRowModel: createSortedRowModel(),
});

/**
 * A table that stays quick with thousands of rows: sorted by its heads, looked through, with a choice of columns,
 * copied and exported as it is seen. Heads stay in view, and of many rows only those in view are drawn.
 */
export function DataTable<T extends RowData>({
  label,
  rows,
  rowKey,
  columns,
  file,
}: {
  label: string;
  rows: T[];
  rowKey: (row: T) => string;
  columns: Column<T>[];
  /** The name of the file that is exported, without its ending. */
  file: string;
}) {
  const [wanted, setWanted] = useState("");
  const sought = useDeferredValue(wanted.trim().toLowerCase());
  const found = useMemo(() => (sought ? rows.filter((r) => says(columns, r, sought)) : rows), [rows, columns, sought]);
  const definitions = useMemo(
    () =>
      columns.map(
        (c): ColumnDef<typeof features, T> => ({
          id: c.key,
          accessorFn: (row) => c.value(row) ?? undefined,
          header: c.title,
          enableSorting: !c.figure,
          enableHiding: !c.heads,
          sortUndefined: "last",
          sortDescFirst: !!c.number,
          sortFn: (a, b, id) => order(a.getValue(id), b.getValue(id)),
        }),
      ),
    [columns],
  );
  const table = useTable({
    features,
    columns: definitions,
    data: found,
    getRowId: rowKey,
    initialState: {
      columnVisibility: Object.fromEntries(columns.filter((c) => c.hidden).map((c) => [c.key, false])),
    },
  });
  const shown = table.getRowModel().rows;
  const visible = columns.filter((c) => table.getColumn(c.key)?.getIsVisible());
  const widths = useMemo(() => columns.map((c) => widest(c, rows)), [columns, rows]);
  const width = (c: Column<T>) => widths[columns.indexOf(c)];
  const printing = usePrinting();
  const many = rows.length > drawnWhole && !printing;
  const box = useRef<HTMLDivElement>(null);
  const held = useRef<number | undefined>(undefined); // the row that has the focus is drawn wherever it is
  const virtual = useVirtualizer({
    count: many ? shown.length : 0,
    getScrollElement: () => box.current,
    estimateSize: () => rowHeight,
    overscan: 12,
    getItemKey: (i) => shown[i].id,
    rangeExtractor: (range) => drawn(range, held.current),
  });
  const items = many ? virtual.getVirtualItems() : shown.map((_, index) => ({ index, start: 0, end: 0 }));
  const body = (
    <tbody onKeyDown={(e) => moved(e, (index) => virtual.scrollToIndex(index), shown.length)}>
      {items.map((item, i) => {
        const row = shown[item.index];
        const gap = many ? item.start - (i > 0 ? items[i - 1].end : 0) : 0;
        return (
          <Fragment key={row.id}>
            <Gap height={gap} columns={visible.length} />
            <tr
              ref={many ? virtual.measureElement : undefined}
              data-index={item.index}
              data-even={item.index % 2 === 1 || undefined}
              aria-rowindex={many ? item.index + 2 : undefined}
            >
              {visible.map((c) => {
                const text = c.cell ? c.cell(row.original) : (c.value(row.original) ?? "–");
                const look = [c.heads ? "margin stay" : "", c.number ? "num" : "", c.className ?? ""].join(" ");
                return c.heads ? (
                  <th key={c.key} scope="row" className={look}>
                    {text}
                  </th>
                ) : (
                  <td key={c.key} className={look}>
                    {text}
                  </td>
                );
              })}
            </tr>
          </Fragment>
        );
      })}
      <Gap height={many ? virtual.getTotalSize() - (items.at(-1)?.end ?? 0) : 0} columns={visible.length} />
    </tbody>
  );
  return (
    <>
      {rows.length > withTools && (
        <Tools
          label={label}
          file={file}
          wanted={wanted}
          setWanted={setWanted}
          count={shown.length}
          of={rows.length}
          columns={columns}
          isShown={(key) => !!table.getColumn(key)?.getIsVisible()}
          show={(key, on) => table.getColumn(key)?.toggleVisibility(on)}
          seen={() => ({ columns: visible, rows: shown.map((r) => r.original) })}
        />
      )}
      <div
        ref={box}
        className={`scroll-x ${many ? "max-h-[75vh] overflow-y-auto" : ""}`}
        role="region"
        aria-label={label}
        tabIndex={0}
        onFocus={(e) => (held.current = rowOf(e))}
      >
        <table className="ledger rows" aria-rowcount={many ? shown.length + 1 : undefined}>
          <thead>
            <tr>
              {visible.map((c) => {
                const column = table.getColumn(c.key)!;
                const sorted = column.getIsSorted();
                return (
                  <th
                    key={c.key}
                    scope="col"
                    className={[c.heads ? "margin stay" : "", c.number ? "num" : ""].join(" ")}
                    title={c.hint}
                    aria-sort={c.figure ? undefined : sorted ? (sorted === "asc" ? "ascending" : "descending") : "none"}
                  >
                    {c.figure ? (
                      c.title
                    ) : (
                      <button type="button" className="sorts" onClick={column.getToggleSortingHandler()}>
                        {c.title}
                        <span aria-hidden="true">{sorted === "asc" ? " ↑" : sorted === "desc" ? " ↓" : ""}</span>
                      </button>
                    )}
                    {many && (
                      <span
                        aria-hidden="true"
                        className="invisible block h-0 overflow-hidden whitespace-nowrap max-md:hidden"
                      >
                        {width(c)}
                      </span>
                    )}
                  </th>
                );
              })}
            </tr>
          </thead>
          {body}
        </table>
      </div>
      {rows.length > 0 && shown.length === 0 && <p className="py-2 text-soft">No row contains “{wanted.trim()}”.</p>}
    </>
  );
}

/** The indexes that are drawn: those in view with some around, and the one that is held. */
function drawn(range: Range, held: number | undefined): number[] {
  const from = Math.max(range.startIndex - range.overscan, 0);
  const to = Math.min(range.endIndex + range.overscan, range.count - 1);
  const all = Array.from({ length: to - from + 1 }, (_, i) => from + i);
  if (held === undefined || held >= range.count || (held >= from && held <= to)) return all;
  return held < from ? [held, ...all] : [...all, held];
}

function rowOf(e: FocusEvent): number | undefined {
  const index = (e.target as Element).closest("tr")?.getAttribute("data-index");
  return index == null ? undefined : Number(index);
}

/** Up and down go to the same place in the row before or after. */
function moved(e: KeyboardEvent<HTMLElement>, scroll: (index: number) => void, count: number) {
  const step = e.key === "ArrowDown" ? 1 : e.key === "ArrowUp" ? -1 : 0;
  const target = e.target as HTMLElement;
  const row = target.closest("tr");
  if (
    !step ||
    !row ||
    (/^(INPUT|SELECT|TEXTAREA)$/.test(target.tagName) && (target as HTMLInputElement).type !== "checkbox")
  )
    return;
  const to = Number(row.dataset.index) + step;
  if (to < 0 || to >= count) return;
  e.preventDefault();
  const body = e.currentTarget;
  const at = [...row.querySelectorAll<HTMLElement>("a, button, input")].indexOf(target);
  scroll(to);
  requestAnimationFrame(() => {
    const all = body.querySelectorAll<HTMLElement>(`tr[data-index="${to}"] :is(a, button, input)`);
    (all[at] ?? all[0])?.focus();
  });
}

import { useState } from "react";
import { count as grouped, counted } from "../../numbers";
import { commaSeparated, tabbed, type Column } from "./columns";

/** What can be done with a table: look through it, choose columns, export what is seen. */
export function Tools<T>({
  label,
  file,
  wanted,
  setWanted,
  count,
  of,
  columns,
  isShown,
  show,
  seen,
}: {
  label: string;
  file: string;
  wanted: string;
  setWanted: (text: string) => void;
  count: number;
  of: number;
  columns: Column<T>[];
  isShown: (key: string) => boolean;
  show: (key: string, on: boolean) => void;
  seen: () => { columns: Column<T>[]; rows: T[] };
}) {
  const [said, setSaid] = useState("");
  const copy = async () => {
    const { columns: now, rows } = seen();
    try {
      await navigator.clipboard.writeText(tabbed(now, rows));
      setSaid(`${counted(rows.length, "row")} copied`);
    } catch {
      setSaid("The browser does not allow copying here");
    }
  };
  const save = () => {
    const { columns: now, rows } = seen();
    const address = URL.createObjectURL(new Blob([commaSeparated(now, rows)], { type: "text/csv" }));
    const a = document.createElement("a");
    a.href = address;
    a.download = `${file}.csv`;
    a.click();
    setTimeout(() => URL.revokeObjectURL(address), 10_000);
    setSaid(`${counted(rows.length, "row")} saved as ${file}.csv`);
  };
  return (
    <div className="my-2 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-[13px] print:hidden">
      <input
        type="search"
        className="field w-56 max-w-full"
        aria-label={`Search in ${label}`}
        placeholder="Search this table"
        value={wanted}
        onChange={(e) => setWanted(e.target.value)}
      />
      <span className="text-soft">
        {count === of ? counted(of, "row") : `${grouped(count)} of ${counted(of, "row")}`}
      </span>
      <details className="relative">
        <summary className="act cursor-pointer">Columns</summary>
        <div className="absolute z-10 mt-1 min-w-48 border border-ink bg-paper px-3 py-2">
          {columns
            .filter((c) => !c.heads)
            .map((c) => (
              <label key={c.key} className="flex min-h-6 items-center gap-2 whitespace-nowrap">
                <input
                  type="checkbox"
                  className="accent-(--accent)"
                  checked={isShown(c.key)}
                  onChange={(e) => show(c.key, e.target.checked)}
                />
                {c.title}
              </label>
            ))}
        </div>
      </details>
      <button type="button" className="act" onClick={copy}>
        Copy
      </button>
      <button type="button" className="act" onClick={save}>
        Save as CSV
      </button>
      <span role="status" className="text-soft">
        {said}
      </span>
    </div>
  );
}

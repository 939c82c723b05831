import type { ReactNode } from "react";

/** A column of a table: what its rows say, how that is drawn, sorted, found and exported. */
export type Column<T> = {
  /** Names it in files and in what is remembered; in no title. */
  key: string;
  title: string;
  /** What a row says, to sort by, look through and export; nothing goes last. */
  value: (row: T) => string | number | null | undefined;
  /** How it is drawn; the value where left out. */
  cell?: (row: T) => ReactNode;
  number?: boolean;
  /** Names the row. */
  heads?: boolean;
  hint?: string;
  /** Not shown until it is chosen. */
  hidden?: boolean;
  /** Only drawn: it cannot be sorted, searched or exported. */
  figure?: boolean;
  className?: string;
};

type Value = string | number | null | undefined;

const collator = new Intl.Collator(undefined, { numeric: true });

/** Orders two values that are there: numbers by size, texts as people do. */
export const order = (a: Value, b: Value) =>
  typeof a === "number" && typeof b === "number" ? a - b : collator.compare(String(a), String(b));

/** Whether one of a row's columns has the text that is searched for, in any case. */
export const says = <T>(columns: Column<T>[], row: T, wanted: string) =>
  columns.some(
    (c) =>
      !c.figure &&
      String(c.value(row) ?? "")
        .toLowerCase()
        .includes(wanted),
  );

const plain = (v: Value) => (v == null ? "" : String(v));

/** Rows as tab-separated text with titles, to be put into another table. */
export function tabbed<T>(columns: Column<T>[], rows: T[]): string {
  const shown = columns.filter((c) => !c.figure);
  const line = (cells: string[]) => cells.map((c) => c.replace(/[\t\r\n]+/g, " ")).join("\t");
  return [line(shown.map((c) => c.title)), ...rows.map((r) => line(shown.map((c) => plain(c.value(r)))))].join("\n");
}

/** Rows as CSV by RFC 4180, keys as headings. */
export function commaSeparated<T>(columns: Column<T>[], rows: T[]): string {
  const shown = columns.filter((c) => !c.figure);
  const quoted = (cell: string) => (/[",\r\n]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell);
  return [shown.map((c) => c.key), ...rows.map((r) => shown.map((c) => plain(c.value(r))))]
    .map((line) => `${line.map(quoted).join(",")}\r\n`)
    .join("");
}

/** The longest text of a column, which keeps its width while rows come and go; of long texts nothing. */
export function widest<T>(column: Column<T>, rows: T[]): string {
  let longest = "";
  if (!column.figure)
    for (const row of rows) {
      const text = plain(column.value(row));
      if (text.length > longest.length) longest = text;
    }
  return longest.length > 32 ? "" : longest;
}

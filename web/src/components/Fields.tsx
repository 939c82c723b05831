import { useEffect, useId, useState, type ReactNode } from "react";
import { decimal } from "../decimal";
import { listed } from "../listed";

type Common = { label: string; hint?: string; wrong?: string };

function Labelled({ label, hint, wrong, id, children }: Common & { id: string; children: ReactNode }) {
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="block text-[13px] text-soft">
        {label} {hint && <span className="text-[12px]">({hint})</span>}
      </label>
      {children}
      {wrong && <span className="block text-[13px] text-accent">{wrong}</span>}
    </div>
  );
}

/** A text of one line, or of several where rows says so. */
export function TextField({
  value,
  onChange,
  rows,
  ...common
}: Common & { value: string | undefined; onChange: (text: string) => void; rows?: number }) {
  const id = useId();
  return (
    <Labelled {...common} id={id}>
      {rows ? (
        <textarea
          id={id}
          className="field w-full"
          rows={rows}
          value={value ?? ""}
          onChange={(e) => onChange(e.target.value)}
        />
      ) : (
        <input id={id} className="field w-full" value={value ?? ""} onChange={(e) => onChange(e.target.value)} />
      )}
    </Labelled>
  );
}

/** The lines of a text: without spaces around them, empty ones left out. */
export const linesOf = (text: string) => listed(text, "\n");

/** A number field. Empty means no number. Text that is no number stays and is reported. */
export function NumberField({
  value,
  onChange,
  bare = false,
  ...common
}: Common & { value: number | undefined; onChange: (x: number | undefined) => void; bare?: boolean }) {
  const id = useId();
  const [text, setText] = useState(value === undefined ? "" : String(value));
  useEffect(() => {
    setText((old) => (decimal(old) === value ? old : value === undefined ? "" : String(value)));
  }, [value]);
  const odd = text.trim() !== "" && decimal(text) === undefined;
  const input = (
    <input
      id={id}
      aria-label={bare ? common.label : undefined}
      aria-invalid={odd}
      className={`field text-right ${bare ? "w-16 py-0" : "w-full"}`}
      inputMode="decimal"
      value={text}
      onChange={(e) => {
        setText(e.target.value);
        const x = decimal(e.target.value);
        if (x !== undefined || e.target.value.trim() === "") onChange(x);
      }}
    />
  );
  if (bare) return input;
  return (
    <Labelled {...common} wrong={odd ? `“${text}” is not a number` : common.wrong} id={id}>
      {input}
    </Labelled>
  );
}

import { useState } from "react";
import type { Fate, Row } from "../../imports";

const fates: { fate: Fate; label: string; mark: string }[] = [
  { fate: "refused", label: "refused", mark: "×" },
  { fate: "replaces", label: "replaces", mark: "↻" },
  { fate: "changes", label: "changes", mark: "~" },
  { fate: "new", label: "new", mark: "+" },
  { fate: "same", label: "same", mark: "=" },
];
const page = 200;

/** What becomes of every row, by fate, as many at a time as one can read. */
export function Preview({ rows }: { rows: Row[] }) {
  const count = (fate: Fate) => rows.filter((r) => r.fate === fate).length;
  const [only, setOnly] = useState<Fate | "">(count("refused") > 0 ? "refused" : "");
  const [most, setMost] = useState(page);
  const shown = rows.filter((r) => !only || r.fate === only);
  const lines = rows.some((r) => r.line);
  const answers = rows.some((r) => r.criterion);
  return (
    <section className="mt-3">
      <p className="flex flex-wrap gap-x-6 gap-y-1" role="group" aria-label="Rows shown">
        {[{ fate: "" as const, label: "all", n: rows.length }, ...fates.map((f) => ({ ...f, n: count(f.fate) }))].map(
          (f) => (
            <button
              key={f.fate}
              type="button"
              aria-pressed={only === f.fate}
              disabled={f.n === 0}
              className={only === f.fate ? "font-semibold underline underline-offset-4" : "act"}
              onClick={() => {
                setOnly(f.fate);
                setMost(page);
              }}
            >
              {f.label} {f.n}
            </button>
          ),
        )}
      </p>
      <div className="scroll-x mt-2" tabIndex={0} role="region" aria-label="Rows of the file">
        <table className="ledger">
          <thead>
            <tr>
              {lines && <th className="num">Line</th>}
              <th className="margin">Outcome</th>
              <th>About</th>
              {answers && <th>Criterion</th>}
              {answers && <th>Rig</th>}
              <th>{answers ? "Answer" : "What it is"}</th>
              <th>Reason</th>
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, most).map((r, i) => (
              <tr key={i}>
                {lines && <td className="num">{r.line}</td>}
                <td className="margin whitespace-nowrap">
                  <span aria-hidden="true" className="inline-block w-4 text-soft">
                    {fates.find((f) => f.fate === r.fate)?.mark}
                  </span>
                  {r.fate}
                </td>
                <td>{r.subject}</td>
                {answers && <td>{r.criterion}</td>}
                {answers && <td>{r.rig}</td>}
                <td>
                  <span className="line-clamp-2 max-w-60 break-words">{r.answer}</span>
                </td>
                <td className={r.fate === "refused" ? "text-accent" : "text-soft"}>
                  {r.fate === "refused" && r.column && <b>{r.column}: </b>}
                  {r.why}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {shown.length > most && (
        <p className="mt-2 text-[13px] text-soft">
          {most} of {shown.length} shown.{" "}
          <button type="button" className="act" onClick={() => setMost(most + 5 * page)}>
            Show more
          </button>
        </p>
      )}
    </section>
  );
}

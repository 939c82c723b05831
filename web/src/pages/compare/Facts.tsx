import type { Schemas } from "../../api";
import { titleIn, type Checklist } from "../../checklist";
import { EditionLabel } from "../../components/Edition";
import { Sideways } from "../../components/Sideways";
import { counted, none } from "../../numbers";
import type { Data } from "./Table";

/** Facts side by side with the differences from the first picked out. */
export function Facts({ data, list, onlyDifferences }: { data: Data; list: Checklist; onlyDifferences: boolean }) {
  const rows = data.factRows.filter((r) => !onlyDifferences || r.differs);
  if (rows.length === 0) return null;
  const order = rows[0].cells.map((c) => c.edition);
  return (
    <section className="mt-8">
      <h2>Facts</h2>
      <p className="text-[13px] text-soft">Recorded, never scored. Differences are relative to the first edition.</p>
      <Sideways label="Facts">
        <table className="ledger mt-1">
          <thead>
            <tr>
              <th className="margin stay">Fact</th>
              {order.map((e) => (
                <th key={e} className="min-w-[150px] text-ink!">
                  {data.names[e] ? <EditionLabel name={data.names[e]} /> : e}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => (
              <tr key={r.criterion} className="align-top">
                <th scope="row" className="margin stay">
                  {titleIn(list, r.criterion)}
                </th>
                {r.cells.map((c) => (
                  <td key={c.edition}>
                    <Value cell={c} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </section>
  );
}

function Value({ cell: c }: { cell: Schemas["FactCell"] }) {
  if (c.value == null) return <span className="text-soft">{none}</span>;
  const text = Array.isArray(c.value) ? null : String(c.value);
  const remarks = [
    c.onlyHere?.length && `only here: ${c.onlyHere.join(", ")}`,
    c.lacks?.length && `missing: ${c.lacks.join(", ")}`,
    c.order,
    c.behind &&
      (c.behind.versions
        ? `${counted(c.behind.versions, "version")}, ${counted(c.behind.days, "day")} behind ${c.behind.newest} on the day of the reading`
        : "the newest known on that day"),
  ].filter(Boolean);
  return (
    <>
      {text ?? (c.value as unknown as string[]).join(", ")}
      {remarks.length > 0 && <span className="block text-[12px] text-soft">{remarks.join(" · ")}</span>}
    </>
  );
}

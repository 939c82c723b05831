import type { Schemas } from "../../api";
import type { Checklist } from "../../checklist";
import { EditionLabel } from "../../components/Edition";
import { Sideways } from "../../components/Sideways";
import type { Data } from "./Table";

const sorts = ["strength", "weakness", "quirk"];

/** Findings side by side, by sort. */
export function Findings({ data }: { data: Data }) {
  if (data.editions.every((e) => e.findings.length === 0)) return null;
  return (
    <section className="mt-8">
      <h2>Findings</h2>
      <div
        className="mt-1 grid gap-x-8 gap-y-4"
        style={{ gridTemplateColumns: "repeat(auto-fit, minmax(240px, 1fr))" }}
      >
        {data.editions.map((e) => (
          <div key={e.scorecard.edition}>
            <h3 className="border-b border-ink text-[15px]">
              <EditionLabel name={e.name} />
            </h3>
            {e.findings.length === 0 && <p className="py-1 text-[13px] text-soft">none recorded</p>}
            <ul>
              {sorts.flatMap((sort) =>
                e.findings
                  .filter((f) => f.sort === sort)
                  .map((f) => (
                    <li key={f.id} className="border-b border-rule py-1">
                      {f.title}
                      <span className="block text-[12px] text-soft">
                        {[f.severity, sort, f.workaround && `workaround: ${f.workaround}`].filter(Boolean).join(" · ")}
                      </span>
                    </li>
                  )),
              )}
            </ul>
          </div>
        ))}
      </div>
    </section>
  );
}

/** The standard shots as a gallery: one row for each shot, the editions beside each other. */
export function Shots({ data, list }: { data: Data; list: Checklist }) {
  const taken = (list.shots ?? []).filter((s) => data.editions.some((e) => e.shots.some((x) => x.shot === s.key)));
  if (taken.length === 0) return null;
  return (
    <section className="mt-8">
      <h2>Standard screenshots</h2>
      <Sideways label="Standard screenshots">
        <table className="ledger mt-1">
          <thead>
            <tr>
              <th className="margin stay">Screenshot</th>
              {data.editions.map((e) => (
                <th key={e.scorecard.edition} className="text-ink!">
                  <EditionLabel name={e.name} />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {taken.map((s) => (
              <tr key={s.key} className="align-top">
                <th scope="row" className="margin stay">
                  {s.title || s.key}
                </th>
                {data.editions.map((e) => (
                  <td key={e.scorecard.edition}>
                    <Shot
                      of={e.shots.find((x) => x.shot === s.key)}
                      alt={`${s.title || s.key} of ${e.name.distribution} ${e.name.release}`}
                    />
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

function Shot({ of, alt }: { of?: Schemas["Evidence"]; alt: string }) {
  if (!of) return <span className="text-[13px] text-soft">not taken</span>;
  if (!of.sha256)
    return (
      <a className="act" href={of.link} rel="noreferrer">
        {of.caption || "elsewhere"}
      </a>
    );
  return (
    <a className="inline-block min-h-[24px] min-w-[24px]" href={`/api/v1/files/${of.sha256}`}>
      <img
        src={`/api/v1/files/${of.sha256}`}
        alt={of.caption || alt}
        loading="lazy"
        className="block h-[120px] w-auto max-w-[220px] border border-rule object-cover"
      />
    </a>
  );
}

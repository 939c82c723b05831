import type { Schemas } from "../../api";
import { titleOf } from "../../checklist";
import { Sideways } from "../../components/Sideways";
import { counted, rounded } from "../../numbers";

type Data = Schemas["ChecklistDifference"];

const inWords = (sorts: string[]) => sorts.map((x) => x.replace("-", " ")).join(", ");

/** The differences between two versions in words. */
export function Difference({ of: d }: { of: Data }) {
  const nothing = d.sections.length + d.criteria.length + d.audiences.length + d.rest.length === 0;
  if (nothing) return <p className="my-4 text-soft">There are no differences.</p>;
  return (
    <>
      <Sideways label={`From ${d.older} to ${d.newer}`}>
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin w-[190px]">What happened</th>
              <th>Item</th>
              <th className="num w-[90px]" title={`its share of the total in ${d.older}`}>
                Share before
              </th>
              <th className="num w-[70px]">Share now</th>
              <th>Details</th>
            </tr>
          </thead>
          <tbody>
            {d.sections.map((x) => (
              <tr key={`s ${x.key}`}>
                <td className="margin">section: {inWords(x.sorts)}</td>
                <td className="font-medium">{titleOf(x)}</td>
                <Share of={x.oldShare} gone={x.sorts.includes("added")} />
                <Share of={x.newShare} gone={x.sorts.includes("dropped")} />
                <td />
              </tr>
            ))}
            {d.criteria.map((x) => (
              <tr key={`c ${x.key}`} className="align-top">
                <td className="margin">{inWords(x.sorts)}</td>
                <td>
                  {titleOf(x)} <span className="text-[12px] text-soft">{x.section}</span>
                </td>
                <Share of={x.oldShare} gone={x.sorts.includes("added")} />
                <Share of={x.newShare} gone={x.sorts.includes("dropped")} />
                <td className="max-md:min-w-[15rem] text-[13px]">
                  {x.details.map((line) => (
                    <span key={line} className="block">
                      {line}
                    </span>
                  ))}
                </td>
              </tr>
            ))}
            {d.audiences.map((x) => (
              <tr key={`a ${x.key}`} className="align-top">
                <td className="margin">audience: {inWords(x.sorts)}</td>
                <td>{titleOf(x)}</td>
                <td />
                <td />
                <td className="max-md:min-w-[15rem] text-[13px]">{x.details.join("; ")}</td>
              </tr>
            ))}
            {d.rest.map((line) => (
              <tr key={line}>
                <td className="margin">the checklist</td>
                <td colSpan={4} className="text-[13px]">
                  {line}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
      {d.shifted.length > 0 && (
        <details className="mt-3">
          <summary className="cursor-pointer text-[13px] text-soft">
            Unchanged, but with another weight because others changed:{" "}
            {counted(d.shifted.length, "criterion", "criteria")}
          </summary>
          <ul className="mt-1 columns-1 gap-10 text-[13px] md:columns-2">
            {d.shifted.map((x) => (
              <li key={x.key} className="flex justify-between border-b border-rule py-0.5">
                {titleOf(x)}
                <span>
                  {rounded(100 * x.oldShare, 1)} → {rounded(100 * x.newShare, 1)} %
                </span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function Share({ of, gone }: { of: number; gone: boolean }) {
  return <td className="num">{gone || of === 0 ? "–" : `${rounded(100 * of, 1)} %`}</td>;
}

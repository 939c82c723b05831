import type { Checklist } from "../../checklist";
import { titleOf } from "../../checklist";
import { sectionShares, type Audience } from "../../checklists";
import { NumberField, TextField } from "../../components/Fields";
import { Shares } from "../../components/Shares";

/** An audience's title, weights and gates; what it does not name stays as the list has it. */
export function AudienceForm({
  audience: a,
  list,
  change,
}: {
  audience: Audience;
  list: Checklist;
  change: (make: (a: Audience) => void) => void;
}) {
  const set = (of: "sections" | "criteria" | "gates", key: string, x: number | undefined) =>
    change((a) => {
      const next: Record<string, number> = { ...a[of] };
      if (x === undefined) delete next[key];
      else next[key] = x;
      a[of] = Object.keys(next).length ? next : undefined;
    });
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <TextField
        label="Title"
        hint="comes after “for”"
        value={a.title}
        onChange={(x) => change((a) => void (a.title = x || undefined))}
      />
      <Shares sections={list.sections} shares={sectionShares(list, a)} />
      <table className="ledger">
        <thead>
          <tr>
            <th className="margin">Section, criterion</th>
            <th className="num">Checklist's weight</th>
            <th className="num">Audience's weight</th>
            <th className="num">Checklist's gate</th>
            <th className="num">Audience's gate</th>
          </tr>
        </thead>
        <tbody>
          {list.sections.flatMap((s) => [
            <tr key={s.key} className="band">
              <th className="margin">{titleOf(s)}</th>
              <td className="num">{s.weight}</td>
              <td className="num">
                <NumberField
                  bare
                  label={`weight of section ${titleOf(s)}`}
                  value={a.sections?.[s.key]}
                  onChange={(x) => set("sections", s.key, x)}
                />
              </td>
              <td />
              <td />
            </tr>,
            ...s.criteria
              .filter((c) => c.kind !== "fact")
              .map((c) => (
                <tr key={c.key}>
                  <td className="margin">{titleOf(c)}</td>
                  <td className="num">{c.weight ?? 0}</td>
                  <td className="num">
                    <NumberField
                      bare
                      label={`weight of ${titleOf(c)}`}
                      value={a.criteria?.[c.key]}
                      onChange={(x) => set("criteria", c.key, x)}
                    />
                  </td>
                  <td className="num">{c.gate ?? ""}</td>
                  <td className="num">
                    <NumberField
                      bare
                      label={`gate of ${titleOf(c)}`}
                      value={a.gates?.[c.key]}
                      onChange={(x) => set("gates", c.key, x)}
                    />
                  </td>
                </tr>
              )),
          ])}
        </tbody>
      </table>
    </div>
  );
}

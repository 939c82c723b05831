import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api";
import { said } from "../../components/Edition";
import { Answered } from "../../components/Answered";
import { Sideways } from "../../components/Sideways";
import { sourceKey } from "../../keys";
import { day, figure, moment } from "../../numbers";

type Data = Schemas["RigControl"];

export const useControl = (rig: string | undefined) =>
  useQuery({
    queryKey: sourceKey("control", rig ?? ""),
    enabled: !!rig,
    queryFn: () => take(api.GET("/rigs/{rig}/control", { params: { path: { rig: rig! } } })),
  });

/** Whether a rig is still the machine that it was: its reference, session by session. */
export function Control({ rig }: { rig: string }) {
  const control = useControl(rig);
  return (
    <section className="mt-8">
      <h2 className="border-b border-ink pb-1">Has the machine changed?</h2>
      <Answered of={[control]} what="the reference" none={null}>
        {(c) => <Chart data={c} />}
      </Answered>
    </section>
  );
}

function Chart({ data: c }: { data: Data }) {
  if (!c.criterion)
    return (
      <p className="mt-2 max-w-prose text-soft">
        No checklist in force names a reference for the rigs. A reference is a measure that depends only on the machine;{" "}
        <code>dtally measure</code> takes it first in every session.
      </p>
    );
  const title = c.title || c.criterion;
  if (c.samples.length === 0)
    return <p className="mt-2 text-soft">No dtally measure session has taken {title} on this rig yet.</p>;
  return (
    <>
      <p className="mt-1 max-w-prose text-[13px] text-soft">
        {title}, {c.unit}: the first measure of every dtally measure session. Shaded: the band of three standard
        deviations, from the median moving range.
        {!c.chart && ` ${c.samples.length} of the six sessions that a band needs.`}
      </p>
      {c.chart?.out.map((p) => (
        <p key={p.from} role="note" className="mt-2 border-l-2 border-accent pl-3">
          Outside its band from {day(p.from)} {p.until ? `until ${day(p.until)}` : "until now"}: the machine itself has
          changed. Check what was measured on it in that time.
        </p>
      ))}
      <div className="max-md:hidden">
        <Drawn data={c} width={720} />
      </div>
      <div className="md:hidden">
        <Drawn data={c} width={350} />
      </div>
      <Sideways label="Sessions">
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin">Session</th>
              <th className="num">{c.unit}</th>
              <th>Band</th>
              <th>Under review</th>
              <th>By</th>
            </tr>
          </thead>
          <tbody>
            {[...c.samples].reverse().map((s) => (
              <tr key={s.reading}>
                <th scope="row" className="margin font-normal! whitespace-nowrap">
                  {moment(s.at)}
                </th>
                <td className="num">{figure(s.value)}</td>
                <td className={s.out ? "font-semibold" : "text-soft"}>
                  {c.chart ? (s.out ? "outside" : "within") : ""}
                </td>
                <td>
                  <Link className="act" to={`/edition/${s.edition}`}>
                    {c.names[s.edition] ? said(c.names[s.edition]) : s.edition}
                  </Link>
                </td>
                <td>{s.reviewer}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
    </>
  );
}

const height = 200;
const left = 56;

/** Sessions in a row, the band behind them; a session outside is a filled diamond. */
function Drawn({ data: c, width }: { data: Data; width: number }) {
  const values = c.samples.map((s) => s.value);
  const least = Math.min(...values, c.chart?.low ?? Number.POSITIVE_INFINITY);
  const most = Math.max(...values, c.chart?.high ?? Number.NEGATIVE_INFINITY);
  const pad = (most - least || Math.abs(most) || 1) * 0.12;
  const y = (v: number) => 12 + ((most + pad - v) / (most - least + 2 * pad)) * (height - 40);
  const x = (i: number) => left + 12 + (i * (width - left - 24)) / Math.max(1, c.samples.length - 1);
  const outside = c.samples.filter((s) => s.out).length;
  const words = `${c.title || c.criterion} on ${c.rig} in ${c.samples.length} sessions: from ${figure(Math.min(...values))} to ${figure(Math.max(...values))} ${c.unit ?? ""}${c.chart ? `, ${outside} outside the band of ${figure(c.chart.low)} to ${figure(c.chart.high)}` : ""}`;
  const scale = c.chart ? [c.chart.low, c.chart.center, c.chart.high] : [least, most];
  return (
    <svg viewBox={`0 0 ${width} ${height}`} className="my-3 block w-full max-w-[900px]" role="img" aria-label={words}>
      {c.chart && (
        <rect
          x={left}
          y={y(c.chart.high)}
          width={width - left}
          height={Math.max(1, y(c.chart.low) - y(c.chart.high))}
          fill="var(--wash)"
        />
      )}
      {scale.map((v) => (
        <g key={v}>
          <path d={`M${left} ${y(v)}H${width}`} stroke="var(--rule)" />
          <text x={left - 6} y={y(v) + 4} textAnchor="end" fontSize="11" fill="var(--soft)">
            {figure(v)}
          </text>
        </g>
      ))}
      <path d={`M${values.map((v, i) => `${x(i)} ${y(v)}`).join("L")}`} fill="none" stroke="var(--soft)" />
      {c.samples.map((s, i) =>
        s.out ? (
          <path
            key={s.reading}
            d="M0-7 7 0 0 7-7 0z"
            transform={`translate(${x(i)} ${y(s.value)})`}
            fill="var(--accent)"
          />
        ) : (
          <circle key={s.reading} cx={x(i)} cy={y(s.value)} r={4} fill="var(--ink)" />
        ),
      )}
      <text x={x(0)} y={height - 6} fontSize="11" fill="var(--soft)">
        {day(c.samples[0].at)}
      </text>
      {c.samples.length > 1 && (
        <text x={width - 4} y={height - 6} textAnchor="end" fontSize="11" fill="var(--soft)">
          {day(c.samples[c.samples.length - 1].at)}
        </text>
      )}
    </svg>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { Link, useParams } from "react-router";
import { api, take, type Schemas } from "../api";
import { useChecklist } from "../checklist";
import { Choice } from "../components/Choice";
import { EditionLink } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Failure, Loading } from "../components/States";
import { DataTable } from "../components/table/DataTable";
import type { Column } from "../components/table/columns";
import { day, score } from "../numbers";
import { useView, type View } from "../view";
import { Course } from "./line/Course";
import { Succession } from "./line/Succession";
import { sourceKey } from "../keys";
import { failed } from "../failed";

/** An edition line: its score over the releases, and what became of it from each to the next. */
export default function LinePage() {
  const { distribution = "", line = "" } = useParams();
  const view = useView();
  const history = useQuery({
    queryKey: sourceKey("line", distribution, line, view.query),
    queryFn: () =>
      take(
        api.GET("/lines/{distribution}/{line}", {
          params: {
            path: { distribution, line },
            query: { audience: view.query.audience, checklist: view.query.checklist, at: view.query.at },
          },
        }),
      ),
    placeholderData: (old) => old,
  });
  const list = useChecklist(history.data?.checklist);
  return (
    <Frame title={`${distribution}/${line}`}>
      {failed(history) ? (
        <Failure error={history.error} again={() => history.refetch()} />
      ) : !history.data || !list.data ? (
        <Loading what="the line" />
      ) : (
        <>
          <h1>
            {Object.values(history.data.names)[0]?.distribution ?? distribution}, the {line} line{" "}
            {view.audience && (
              <em>for {list.data.audiences?.find((a) => a.key === view.audience)?.title || view.audience}</em>
            )}
          </h1>
          <p className="text-[13px] text-soft">
            {history.data.points.length} reviewed releases, oldest first · common ground: what the release's checklist
            and {history.data.checklist} ask and score the same way
          </p>
          <div className="my-3 flex flex-wrap items-baseline gap-x-6 text-[13px]">
            <Choice
              label="Audience"
              value={view.audience}
              onChange={(audience) => view.set({ audience })}
              options={[
                { value: "", label: "Everybody (default)" },
                ...(list.data.audiences ?? []).map((a) => ({ value: a.key, label: a.title || a.key })),
              ]}
            />
            <Link className="act" to="/lines">
              All lines
            </Link>
          </div>
          <Course data={history.data} />
          <Table data={history.data} view={view} />
          {[...history.data.successions].reverse().map((s) => (
            <Succession key={s.newer.edition} data={s} names={history.data.names} list={list.data} view={view} />
          ))}
        </>
      )}
    </Frame>
  );
}

function Table({ data, view }: { data: Schemas["HistoryView"]; view: View }) {
  return (
    <Sideways label="Releases of the line">
      <table className="ledger mt-3 max-w-[900px]">
        <thead>
          <tr>
            <th className="margin stay">Release</th>
            <th>Released</th>
            <th>Checklist</th>
            <th className="num">Score on it</th>
            <th className="num">Score on common ground</th>
            <th className="num">Criteria in common</th>
          </tr>
        </thead>
        <tbody>
          {data.points.map((p) => (
            <tr key={p.edition}>
              <th scope="row" className="margin stay">
                {data.names[p.edition] ? (
                  <EditionLink
                    edition={p.edition}
                    name={data.names[p.edition]}
                    search={
                      p.checklist === data.checklist ? view.carry : `?checklist=${encodeURIComponent(p.checklist)}`
                    }
                  />
                ) : (
                  p.edition
                )}
              </th>
              <td className="whitespace-nowrap">{day(p.date)}</td>
              <td>{p.checklist}</td>
              <td className="num">{score(p.overall)}</td>
              <td className="num font-semibold">{score(p.ground)}</td>
              <td className="num">{p.common}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Sideways>
  );
}

const reviewedOf = (line: Schemas["LineList"]["lines"][number]) =>
  line.releases.filter((r) => r.checklists.length).map((r) => r.release);

/** All lines with anything reviewed. */
export function LinesPage() {
  const lines = useQuery({ queryKey: sourceKey("lines"), queryFn: () => take(api.GET("/lines")) });
  const view = useView();
  const { carry } = view;
  const columns = useMemo(
    (): Column<Schemas["LineList"]["lines"][number]>[] => [
      {
        key: "line",
        title: "Line",
        heads: true,
        value: (l) => `${l.name} ${l.line}`,
        cell: (l) => (
          <Link className="hover:underline" to={`/lines/${l.distribution}/${l.line}${carry}`}>
            <span className="font-serif font-semibold">{l.name}</span> {l.line}
          </Link>
        ),
      },
      { key: "count", title: "Reviewed", number: true, value: (l) => reviewedOf(l).length },
      { key: "releases", title: "Releases reviewed", value: (l) => reviewedOf(l).join(" → ") },
    ],
    [carry],
  );
  return (
    <Frame title="Edition lines">
      <h1>Edition lines</h1>
      <p className="text-[13px] text-soft">
        The same edition over successive releases. In alphabetical order (not a ranking).
      </p>
      {failed(lines) ? (
        <Failure error={lines.error} again={() => lines.refetch()} />
      ) : !lines.data ? (
        <Loading what="the lines" />
      ) : (
        <div className="mt-3 max-w-[760px]">
          <DataTable
            label="Edition lines"
            file="lines"
            rows={lines.data.lines}
            rowKey={(l) => `${l.distribution}/${l.line}`}
            columns={columns}
          />
        </div>
      )}
    </Frame>
  );
}

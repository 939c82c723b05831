import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../api";
import { contextWords, findCriterion, titleIn, useChecklist, type Checklist } from "../checklist";
import { Choice } from "../components/Choice";
import { EditionLink } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Sideways } from "../components/Sideways";
import { Empty, Failure, Loading } from "../components/States";
import { day, figure, score } from "../numbers";
import { useView } from "../view";
import { sourceKey } from "../keys";
import { Answered } from "../components/Answered";
import { failed } from "../failed";

/** The record book, and who led the ranking from when to when. */
export default function RecordsPage() {
  const view = useView();
  const at = view.query.at;
  const records = useQuery({
    queryKey: sourceKey("records", at),
    queryFn: () => take(api.GET("/records", { params: { query: { at } } })),
  });
  const shown = useQuery({
    queryKey: sourceKey("rankingHeading", view.query.checklist),
    queryFn: () => take(api.GET("/tipping", { params: { query: { checklist: view.query.checklist } } })),
  });
  const list = useChecklist(shown.data?.heading.checklist);
  return (
    <Frame title="Records">
      <h1>Records</h1>
      <Answered of={[shown, records, list]} what="the record book" none={null}>
        {(_, book, checklist) => (
          <>
            <Leaders list={checklist} />
            <Book data={book} list={checklist} />
          </>
        )}
      </Answered>
    </Frame>
  );
}

function Leaders({ list }: { list: Checklist }) {
  const view = useView();
  const leaders = useQuery({
    queryKey: sourceKey("leaders", view.query.audience),
    queryFn: () => take(api.GET("/leaders", { params: { query: { audience: view.query.audience } } })),
    placeholderData: (old) => old,
  });
  return (
    <section>
      <h2 className="mt-4">
        Who led the ranking{" "}
        {view.audience && (
          <em className="font-medium text-accent">
            for {list.audiences?.find((a) => a.key === view.audience)?.title || view.audience}
          </em>
        )}
      </h2>
      <div className="my-2 text-[13px]">
        <Choice
          label="Audience"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[
            { value: "", label: "Everybody (default)" },
            ...(list.audiences ?? []).map((a) => ({ value: a.key, label: a.title || a.key })),
          ]}
        />
      </div>
      {failed(leaders) ? (
        <Failure error={leaders.error} again={() => leaders.refetch()} />
      ) : !leaders.data ? (
        <Loading what="who led" />
      ) : leaders.data.reigns.length === 0 ? (
        <Empty>No edition has been ranked yet.</Empty>
      ) : (
        <Sideways label="Leaders">
          <table className="ledger max-w-[960px]">
            <thead>
              <tr>
                <th className="margin stay">Leader</th>
                <th>From</th>
                <th>To</th>
                <th className="num">Score</th>
                <th>In a dead heat with</th>
                <th>Checklist</th>
              </tr>
            </thead>
            <tbody>
              {leaders.data.reigns.map((r) => (
                <tr key={r.from}>
                  <th scope="row" className="margin stay whitespace-nowrap">
                    {r.edition && leaders.data.names[r.edition] ? (
                      <EditionLink edition={r.edition} name={leaders.data.names[r.edition]} />
                    ) : (
                      "no edition ranked"
                    )}
                  </th>
                  <td className="whitespace-nowrap">{day(r.from)}</td>
                  <td className="whitespace-nowrap">
                    {r.to ? day(r.to) : <strong className="font-semibold">today</strong>}
                  </td>
                  <td className="num">{r.edition ? score(r.score) : ""}</td>
                  <td>
                    {r.shared
                      .map((e) =>
                        leaders.data.names[e]
                          ? `${leaders.data.names[e].distribution} ${leaders.data.names[e].release}`
                          : e,
                      )
                      .join(", ")}
                  </td>
                  <td>{r.checklist}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Sideways>
      )}
    </section>
  );
}

function Book({ data, list }: { data: Schemas["RecordList"]; list: Checklist }) {
  const view = useView();
  const chosen = view.criterion;
  const keys = [...new Set(data.records.map((r) => r.criterion))];
  const books = data.records.filter((r) => !chosen || r.criterion === chosen);
  return (
    <section className="mt-8">
      <h2>Records</h2>
      <p className="text-[13px] text-soft">
        The best values ever measured: for each criterion, rig and context, on any version of the checklist. A reading
        that was disturbed, replaced or is only a bound sets no record.
      </p>
      <div className="my-2 text-[13px]">
        <Choice
          label="Criterion"
          value={chosen}
          onChange={(criterion) => view.set({ criterion })}
          options={[{ value: "", label: "All" }, ...keys.map((k) => ({ value: k, label: titleIn(list, k) }))]}
        />
      </div>
      {books.length === 0 ? (
        <Empty>There are no records yet.</Empty>
      ) : (
        <Sideways label="Records">
          <table className="ledger">
            <thead>
              <tr>
                <th className="margin stay">Criterion</th>
                <th>Rig</th>
                <th>Method, setup, phase</th>
                <th className="num">Record</th>
                <th>Held by</th>
                <th>Since</th>
                <th className="whitespace-nowrap">Record before</th>
              </tr>
            </thead>
            <tbody>
              {books.map((r) => (
                <Rows
                  key={[r.criterion, r.rig, r.method, r.setup, r.phase].join()}
                  book={r}
                  list={list}
                  names={data.names}
                />
              ))}
            </tbody>
          </table>
        </Sideways>
      )}
    </section>
  );
}

function Rows({
  book: r,
  list,
  names,
}: {
  book: Schemas["RecordBook"];
  list: Checklist;
  names: Record<string, Schemas["EditionName"]>;
}) {
  const [open, setOpen] = useState(false);
  const criterion = findCriterion(list, r.criterion);
  const [now, ...before] = [...r.records].reverse();
  const holder = (e: string) => (names[e] ? <EditionLink edition={e} name={names[e]} /> : e);
  return (
    <>
      <tr>
        <th scope="row" className="margin stay">
          {titleIn(list, r.criterion)}{" "}
          <span className="text-[12px] text-soft">
            {[criterion?.unit, criterion?.better && `${criterion.better} is better`].filter(Boolean).join(" · ")}
          </span>
        </th>
        <td className="whitespace-nowrap">{r.rig || "–"}</td>
        <td className="min-w-44 text-[13px] text-soft">
          {contextWords({ method: r.method, setup: r.setup, phase: r.phase }, list)}
        </td>
        <td className="num font-semibold">{figure(now.value)}</td>
        <td className="whitespace-nowrap">{holder(now.edition)}</td>
        <td className="whitespace-nowrap">{day(now.at)}</td>
        <td>
          {before.length > 0 && (
            <button type="button" className="act" aria-expanded={open} onClick={() => setOpen(!open)}>
              {open ? "Close" : `${before.length} earlier`}
            </button>
          )}
        </td>
      </tr>
      {open &&
        before.map((x) => (
          <tr key={x.at} className="text-soft">
            <td className="margin stay" />
            <td colSpan={2} />
            <td className="num">{figure(x.value)}</td>
            <td className="whitespace-nowrap">{holder(x.edition)}</td>
            <td className="whitespace-nowrap">{day(x.at)}</td>
            <td />
          </tr>
        ))}
    </>
  );
}

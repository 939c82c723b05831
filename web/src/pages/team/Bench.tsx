import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Measuring } from "../../components/Measuring";
import { isTimed } from "../../times";
import { useEffect, useRef } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import {
  answerText,
  contextWords,
  direction,
  findCriterion,
  titleIn,
  titleOf,
  useChecklist,
  type Checklist,
  type Criterion,
  type Reading,
} from "../../checklist";
import { EditionLabel } from "../../components/Edition";
import { Empty, Failure, Loading, Refused, Wrong } from "../../components/States";
import { figure, score, signed } from "../../numbers";
import { Fields } from "../desk/Fields";
import { useOutbox } from "../desk/outbox";
import { inContext, mine } from "../desk/standing";
import { errorOf, isStuck, placeKey } from "../../unsent/answers";
import { fields, type Typed } from "../desk/typed";
import { Around } from "./Around";
import { Sideways } from "../../components/Sideways";
import { outdated, sourceKey } from "../../keys";
import { useMay, useSession } from "../../session";
import { useDraft } from "../../drafts";
import { newID } from "../../ids";
import { failed } from "../../failed";

type View = Schemas["BenchView"];

export default function BenchPage() {
  const { id = "" } = useParams();
  return (
    <Around title="Bench session">
      <Session id={id} />
    </Around>
  );
}

function Session({ id }: { id: string }) {
  const [search, setSearch] = useSearchParams();
  const queries = useQueryClient();
  const bench = useQuery({
    queryKey: sourceKey("bench", id),
    queryFn: () => takeWhole(api.GET("/sessions/{id}", { params: { path: { id } } })),
  });
  const list = useChecklist(bench.data?.data.plan.plan.checklist);
  const close = useMutation({
    mutationFn: (closed: boolean) =>
      take(
        api.PATCH("/sessions/{id}", {
          params: { path: { id }, header: { "If-Match": bench.data!.etag } },
          body: { closed },
        }),
      ),
    onSettled: () => outdated(queries, sourceKey("bench", id)),
  });
  if (failed(bench)) return <Failure error={bench.error} again={() => bench.refetch()} />;
  if (!bench.data || !list.data) return <Loading what="the session" />;
  const v = bench.data.data;
  const criteria = v.plan.plan.criteria;
  const at = Math.max(0, criteria.indexOf(search.get("criterion") ?? ""));
  const key = criteria[at];
  const c = findCriterion(list.data, key);
  const go = (to: number) => {
    const next = new URLSearchParams(search);
    next.set("criterion", criteria[(to + criteria.length) % criteria.length]);
    setSearch(next, { replace: true, preventScrollReset: true });
  };
  const closed = !!v.session.closed && !v.session.closed.startsWith("0001");
  return (
    <>
      <p className="text-[13px] text-soft">
        <Link className="act" to={`/team/plans/${v.plan.id}`}>
          {v.plan.plan.title}
        </Link>{" "}
        · on {v.session.rig} · seed {v.session.seed} · {v.session.person}
        {closed && " · closed"}
      </p>
      <nav aria-label="Criteria" className="my-3 flex flex-wrap gap-x-5 gap-y-1">
        {criteria.map((k, i) => (
          <button
            key={k}
            type="button"
            aria-current={i === at ? "true" : undefined}
            className={i === at ? "bg-chosen px-1 font-semibold" : "text-soft hover:text-ink"}
            onClick={() => go(i)}
          >
            {titleIn(list.data, k)}
          </button>
        ))}
      </nav>
      <Measuring
        reviews={Object.values(v.plan.reviews ?? {})}
        list={list.data}
        name={(review) =>
          shortName(v, Object.entries(v.plan.reviews ?? {}).find(([, id]) => id === review)?.[0] ?? review)
        }
      />
      {c && (
        <Sheet key={key} bench={id} view={v} list={list.data} criterion={c} closed={closed} onNext={() => go(at + 1)} />
      )}
      <Placings id={id} view={v} list={list.data} criterion={key} closed={closed} />
      <p className="mt-6">
        <button type="button" className="act" onClick={() => close.mutate(!closed)} disabled={close.isPending}>
          {closed ? "Open the session again" : "Close the session"}
        </button>
        {close.error && <span role="alert"> {close.error.message}</span>}
      </p>
    </>
  );
}

/** One criterion across all contenders: a line each, in which its own review's reading is typed. */
function Sheet({
  bench,
  view,
  list,
  criterion: c,
  closed,
  onNext,
}: {
  bench: string;
  view: View;
  list: Checklist;
  criterion: Criterion;
  closed: boolean;
  onNext: () => void;
}) {
  const [search, setSearch] = useSearchParams();
  const baseline = search.get("baseline") ?? "";
  const person = useSession().data?.person?.name ?? "";
  const writes = useMay()("record-readings") && !closed;
  const sheet = useQuery({
    queryKey: sourceKey("sheet", bench, c.key, baseline),
    queryFn: () =>
      take(
        api.GET("/sessions/{id}/criteria/{criterion}", {
          params: { path: { id: bench, criterion: c.key }, query: { baseline: baseline || undefined } },
        }),
      ),
    placeholderData: (old) => old,
  });
  const rows = useRef<HTMLTableSectionElement>(null);
  if (failed(sheet)) return <Failure error={sheet.error} again={() => sheet.refetch()} />;
  if (!sheet.data) return <Loading what="the readings" />;
  const context = contextWords(c.context, list);
  const lot = view.lots[c.key] ?? [];
  const next = (i: number) => {
    const field = rows.current
      ?.querySelectorAll<HTMLElement>("[data-line]")
      [i + 1]?.querySelector<HTMLElement>("input,[role=radiogroup],[data-item]");
    if (field) field.focus();
    else onNext();
  };
  return (
    <section>
      <h1>{titleOf(c)}</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        {c.guidance} {direction(c) && `${direction(c)[0].toUpperCase()}${direction(c).slice(1)}.`}
      </p>
      <p className="text-[13px] text-soft">
        {["the same for all", `on ${view.session.rig}`, context].filter(Boolean).join(" · ")}
      </p>
      <p className="mt-1 text-[13px]">
        Random order:{" "}
        {lot
          .map(
            (round, i) =>
              `${lot.length > 1 ? `round ${i + 1}: ` : ""}${round.map((e) => shortName(view, e)).join(", ")}`,
          )
          .join(" · ")}
      </p>
      {writes && c.kind === "measure" && isTimed(c.unit) && (
        <p className="mt-1 text-[13px]">
          <Link className="act" to={`/recording?bench=${bench}&criterion=${c.key}`}>
            Time it from a recording
          </Link>
        </p>
      )}
      <Sideways label="Contenders">
        <table className="ledger">
          <thead>
            <tr>
              <th className="stay margin">Contender</th>
              <th>Reading</th>
              <th className="num">Points</th>
              <th className="num">Compared with {shortName(view, sheet.data.baseline)}</th>
            </tr>
          </thead>
          <tbody ref={rows}>
            {view.plan.plan.contenders.map((x, i) => {
              const line = sheet.data.lines.find((l) => l.edition === x.edition);
              return (
                <tr key={x.edition} data-line data-chosen={x.edition === sheet.data.baseline || undefined}>
                  <th scope="row" className="stay margin align-top">
                    {view.plan.names[x.edition] ? <EditionLabel name={view.plan.names[x.edition]} /> : x.edition}
                    {x.edition !== sheet.data.baseline && (
                      <button
                        type="button"
                        className="block text-[12px] text-soft hover:text-ink"
                        onClick={() => {
                          const to = new URLSearchParams(search);
                          to.set("baseline", x.edition);
                          setSearch(to, { replace: true, preventScrollReset: true });
                        }}
                      >
                        use as baseline
                      </button>
                    )}
                  </th>
                  <td className="min-w-[25rem] py-2!">
                    {line?.review ? (
                      writes ? (
                        <Line
                          review={line.review}
                          rig={view.session.rig}
                          list={list}
                          criterion={c}
                          readings={line.readings}
                          person={person}
                          onDone={() => next(i)}
                        />
                      ) : (
                        line.readings
                          .filter((r) => inContext(r, c.context))
                          .map((r) => `${r.reviewer}: ${answerText(r.answer, c)}`)
                          .join("; ")
                      )
                    ) : (
                      <NoReview plan={view.plan} edition={x.edition} />
                    )}
                  </td>
                  <td className="num align-top">{score(line?.points)}</td>
                  <td className="num align-top">
                    <Difference edition={x.edition} sheet={sheet.data} row={line?.row} unit={c.unit} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </Sideways>
      <p className="mt-2 text-[13px] text-soft">
        Leaving a field records its answer in the edition's own review. <span className="key">Enter</span> goes to the
        next field, then to the next contender, then to the next criterion.
      </p>
    </section>
  );
}

function shortName(view: View, edition: string): string {
  const n = view.plan.names[edition];
  const alike =
    view.plan.plan.contenders.filter((c) => view.plan.names[c.edition]?.distribution === n?.distribution).length > 1;
  return n ? (alike ? `${n.distribution} ${n.release} ${n.edition}` : n.distribution) : edition;
}

function Difference({
  edition,
  sheet,
  row,
  unit,
}: {
  edition: string;
  sheet: Schemas["BenchSheet"];
  row?: Schemas["ComparisonRow"];
  unit?: string;
}) {
  if (edition === sheet.baseline) return <span className="text-soft">baseline</span>;
  if (!row) return null;
  if (row.verdict === "not comparable")
    return <span className="text-[12px] whitespace-normal text-soft">{row.reason}</span>;
  return (
    <>
      {signed(row.percent)} %{" "}
      <span className={row.verdict === "too close" ? "text-soft" : "font-medium"}>
        {row.verdict === "too close" ? "too close to call" : row.verdict}
      </span>
      <span className="block text-[12px] text-soft">
        {figure(row.value)} to {figure(row.baselineValue)} {unit}
        {row.caution && `, ${row.caution}`}
      </span>
    </>
  );
}

/** The entry of one contender: an ordinary reading of its review, kept as on the desk until it is recorded. */
function Line({
  review,
  rig,
  list,
  criterion: c,
  readings,
  person,
  onDone,
}: {
  review: string;
  rig: string;
  list: Checklist;
  criterion: Criterion;
  readings: Reading[];
  person: string;
  onDone: () => void;
}) {
  const queries = useQueryClient();
  const onRig = c.kind === "measure" || c.needs?.length || readings.some((r) => r.rig) ? rig : "";
  const place = { criterion: c.key, rig: onRig };
  const outbox = useOutbox(review, person, list);
  const key = placeKey(place);
  const stands = mine(readings, person, place, list);
  const id = useRef(newID());
  const typed = outbox.items[key]?.typed ?? { ...fields(c, stands), id: id.current };
  const item = outbox.items[key];
  const send = async () => {
    await outbox.send(key);
    id.current = newID();
    await outdated(queries, "sheet");
  };
  const leave = useRef(send);
  leave.current = send;
  useEffect(() => () => void leave.current(), []);
  const others = readings.filter((r) => r.reviewer !== person && inContext(r, c.context));
  return (
    <div
      onBlur={(e) => {
        if (!e.currentTarget.contains(e.relatedTarget)) void send();
      }}
    >
      <Fields
        criterion={c}
        typed={typed}
        onType={(change: Partial<Typed>) => outbox.type(place, { ...typed, ...change })}
        onDone={onDone}
        quiet
      />
      {others.length > 0 && (
        <p className="text-[12px] text-soft">
          {others.map((r) => `${r.reviewer}: ${answerText(r.answer, c)}`).join("; ")}
        </p>
      )}
      {item?.fault && isStuck(item) && (
        <div role="alert" className="text-[13px] text-accent">
          {item.state === "waiting"
            ? "No connection. It is saved here and sent automatically."
            : item.state === "paused"
              ? "You are signed out. It is saved here."
              : item.fault.message}
          <Wrong error={errorOf(item.fault)} />
          {item.state === "refused" && (
            <button type="button" className="act" onClick={() => void outbox.retry(key)}>
              Replace it with mine
            </button>
          )}
        </div>
      )}
    </div>
  );
}

function NoReview({ plan, edition }: { plan: Schemas["PlanView"]; edition: string }) {
  const queries = useQueryClient();
  const add = useMutation({
    mutationFn: () => take(api.POST("/reviews", { body: { edition, checklist: plan.plan.checklist } })),
    onSettled: () => {
      void outdated(queries, "bench");
      void outdated(queries, "sheet");
    },
  });
  return (
    <span className="text-soft">
      There is no review to record in.{" "}
      <button type="button" className="act" disabled={add.isPending} onClick={() => add.mutate()}>
        Plan one
      </button>
      {add.error && <span role="alert"> {add.error.message}</span>}
    </span>
  );
}

/** Placings: the order of the contenders, where only the order is known. */
function Placings({
  id,
  view,
  list,
  criterion,
  closed,
}: {
  id: string;
  view: View;
  list: Checklist;
  criterion: string;
  closed: boolean;
}) {
  const queries = useQueryClient();
  const writes = useMay()("record-readings") && !closed;
  const [places, setPlaces, dropPlaces] = useDraft<Record<string, string>>(`placing of ${criterion}`, {});
  const [question, setQuestion, dropQuestion] = useDraft(`question of ${criterion}`, "");
  const order = () => {
    const by = new Map<number, string[]>();
    for (const [edition, text] of Object.entries(places)) {
      const n = Number(text);
      if (text.trim() && Number.isFinite(n)) by.set(n, [...(by.get(n) ?? []), edition]);
    }
    return [...by.entries()].sort(([a], [b]) => a - b).map(([, editions]) => editions);
  };
  const place = useMutation({
    mutationFn: () =>
      take(
        api.PUT("/sessions/{id}/placings/{placing}", {
          params: { path: { id, placing: newID() } },
          body: { order: order(), ...(question.trim() ? { question: question.trim() } : { criterion }) },
        }),
      ),
    onSuccess: () => {
      dropPlaces();
      dropQuestion();
      void outdated(queries, sourceKey("bench", id));
    },
  });
  return (
    <section className="mt-8">
      <h2 className="border-b border-ink pb-1">Placings</h2>
      {view.placings.length === 0 && (
        <Empty>If only an order can be seen, record it here: equal ranks are a tie.</Empty>
      )}
      <ul>
        {view.placings.map((p) => (
          <li key={p.id} className="border-b border-rule py-1">
            <span className="font-medium">{p.question || titleIn(list, p.criterion ?? "")}</span>:{" "}
            {p.order.map((tied) => tied.map((e) => shortName(view, e)).join(" = ")).join(" › ")}{" "}
            <span className="text-[13px] text-soft">{p.person}</span>
          </li>
        ))}
      </ul>
      {writes && (
        <form
          className="mt-2 flex flex-wrap items-end gap-5"
          onSubmit={(e) => {
            e.preventDefault();
            place.mutate();
          }}
        >
          {view.plan.plan.contenders.map((c) => (
            <label key={c.edition}>
              <span className="block text-[13px] text-soft">{shortName(view, c.edition)}</span>
              <input
                className="field w-16 text-right"
                inputMode="numeric"
                value={places[c.edition] ?? ""}
                onChange={(e) => setPlaces({ ...places, [c.edition]: e.target.value })}
              />
            </label>
          ))}
          <label>
            <span className="block text-[13px] text-soft">question, if other than {titleIn(list, criterion)}</span>
            <input
              className="field w-64"
              value={question}
              onChange={(e) => setQuestion(e.target.value)}
              placeholder="Which feels quicker?"
            />
          </label>
          <button type="submit" className="act" disabled={place.isPending || order().flat().length < 2}>
            Record the order
          </button>
        </form>
      )}
      <Refused error={place.error} />
    </section>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { useBulk, useChosen, type Chosen } from "../../bulk";
import { BulkOutcome } from "../../components/BulkOutcome";
import { Choice } from "../../components/Choice";
import { Combobox } from "../../components/Combobox";
import { SelectField } from "../../components/SelectField";
import { EditionLabel } from "../../components/Edition";
import { Failure, Loading, Refused } from "../../components/States";
import { day, percent } from "../../numbers";
import { PlanReview, Take } from "../Work";
import { Around } from "./Around";
import { Sideways } from "../../components/Sideways";
import { usePeople } from "../../lists";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";
import { failed } from "../../failed";

type Item = Schemas["QueueItem"];

export default function QueuePage() {
  return (
    <Around title="Queue">
      <QueueTable />
    </Around>
  );
}

function QueueTable() {
  const queries = useQueryClient();
  const may = useMay();
  const lead = may("order-queue");
  const queue = useQuery({ queryKey: sourceKey("queue", "whole"), queryFn: () => takeWhole(api.GET("/queue")) });
  const people = usePeople();
  const [dropping, setDropping] = useState("");
  const [search, setSearch] = useSearchParams();
  const chosen = useChosen();
  const settled = () => outdated(queries, "queue");
  const order = useMutation({
    mutationFn: (subjects: string[]) =>
      take(api.PUT("/queue/order", { params: { header: { "If-Match": queue.data!.etag } }, body: { subjects } })),
    onSettled: settled,
  });
  const leave = useMutation({
    mutationFn: (body: { subject: string; why?: string }) => take(api.PUT("/queue/left-out", { body })),
    onSettled: settled,
  });
  const decline = useMutation({
    mutationFn: (x: { item: Item; why: string }) =>
      take(
        api.PATCH("/requests/{id}", {
          params: { path: { id: x.item.request!.id }, header: { "If-Match": String(x.item.request!.revision) } },
          body: { state: "declined", decision: x.why },
        }),
      ),
    onSettled: settled,
  });
  if (queue.isPending) return <Loading what="the queue" />;
  if (failed(queue)) return <Failure error={queue.error} again={() => queue.refetch()} />;
  const whose = search.get("whose") ?? "";
  const items = queue.data.data.items.filter((x) => !whose || x.review?.assigned === whose);
  const placed = items.filter((x) => x.place).map((x) => x.subject);
  const move = (subject: string, by: number) => {
    const next = placed.includes(subject) ? [...placed] : [...placed, subject];
    const i = next.indexOf(subject);
    const to = Math.max(0, Math.min(next.length - 1, i + by));
    next.splice(i, 1);
    next.splice(to, 0, subject);
    order.mutate(next);
  };
  // An entry that only a request brought here is declined to those who asked.
  const isWish = (x: Item) => x.why.length === 1 && !!x.request;
  const drop = (x: Item, why: string) => {
    setDropping("");
    if (isWish(x)) decline.mutate({ item: x, why });
    else leave.mutate({ subject: x.subject, why });
  };
  const reviewers = (people.data ?? []).filter((p) => p.may.includes("record-readings"));
  const refusal = [order, leave, decline].find((m) => m.error)?.error;
  return (
    <>
      <h1>Queue</h1>
      <p className="mt-1 text-[13px] text-soft">
        Ordered by the lead. Items without a place follow: overdue first, then by number of requests, then
        alphabetically.
      </p>
      <Refused error={refusal} className="my-2" />
      <div className="my-2 text-[13px]">
        <Choice
          label="Reviewer"
          value={whose}
          onChange={(name) => setSearch(name ? { whose: name } : {}, { preventScrollReset: true })}
          options={[
            { value: "", label: "Everybody's" },
            ...(people.data ?? []).map((p) => ({ value: p.name, label: p.title || p.name })),
          ]}
        />
      </div>
      {may("plan-reviews") && <PlanMany items={items} chosen={chosen} reviewers={reviewers} />}
      <Sideways label="Queue">
        <table className="ledger">
          <thead>
            <tr>
              {may("plan-reviews") && (
                <th className="w-8">
                  <span className="sr-only">Choose</span>
                </th>
              )}
              <th className="num margin">Place</th>
              <th className="stay">Subject</th>
              <th>Reason</th>
              <th>Reviewer</th>
              <th>Due</th>
              <th className="num">Answered</th>
              <th>
                <span className="sr-only">Actions</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {items.map((x) => (
              <tr
                key={x.subject}
                className={x.leftOut ? "text-soft" : ""}
                data-chosen={chosen.has(x.subject) || undefined}
              >
                {may("plan-reviews") && (
                  <td>
                    {canPlan(x) && (
                      <input
                        type="checkbox"
                        className="accent-(--accent)"
                        aria-label={`Choose ${x.subject}`}
                        checked={chosen.has(x.subject)}
                        onChange={() => chosen.toggle(x.subject)}
                      />
                    )}
                  </td>
                )}
                <td className="num margin whitespace-nowrap">
                  {x.place || "–"}
                  {lead && !x.leftOut && (
                    <span className="ml-2">
                      <button
                        type="button"
                        className="px-1 hover:text-accent"
                        aria-label={`Earlier: ${x.subject}`}
                        disabled={order.isPending}
                        onClick={() => move(x.subject, -1)}
                      >
                        ↑
                      </button>
                      <button
                        type="button"
                        className="px-1 hover:text-accent"
                        aria-label={`Later: ${x.subject}`}
                        disabled={order.isPending}
                        onClick={() => move(x.subject, 1)}
                      >
                        ↓
                      </button>
                    </span>
                  )}
                </td>
                <th scope="row" className="stay min-w-[9rem]">
                  {x.name?.distribution ? <EditionLabel name={x.name} /> : x.subject}
                </th>
                <td className="min-w-[15rem]">
                  {x.why.map((w) => w.says).join("; ")}
                  {x.leftOut && ` left out: ${x.leftOut}`}
                  {x.request && (
                    <details className="inline-block text-[13px]">
                      <summary className="ml-2 cursor-pointer text-accent">by whom</summary>
                      <ul>
                        {x.request.requestedBy.map((v, i) => (
                          <li key={i}>
                            {v.person || "a reader"}, {day(v.at)}
                            {v.reason && `: ${v.reason}`}
                          </li>
                        ))}
                      </ul>
                    </details>
                  )}
                </td>
                <td>{x.review && <Assigned review={x.review} reviewers={reviewers} />}</td>
                <td className={x.overdue ? "font-medium text-accent" : ""}>
                  {x.review?.due && day(x.review.due)}
                  {x.overdue && ", overdue"}
                </td>
                <td className="num">{x.review ? percent(x.progress) : ""}</td>
                <td className="whitespace-nowrap">
                  <span className="flex justify-end gap-4">
                    {x.review ? (
                      <Link className="act" to={`/desk/${x.review.id}`}>
                        Open
                      </Link>
                    ) : (
                      x.edition &&
                      !x.leftOut && <Take edition={x.subject} name={may("record-readings") ? "Start" : "Plan"} />
                    )}
                    {lead &&
                      !x.review &&
                      (x.leftOut ? (
                        <button type="button" className="act" onClick={() => leave.mutate({ subject: x.subject })}>
                          Restore
                        </button>
                      ) : (
                        <button
                          type="button"
                          className="act"
                          aria-expanded={dropping === x.subject}
                          onClick={() => setDropping(dropping === x.subject ? "" : x.subject)}
                        >
                          {isWish(x) ? "Decline" : "Leave out"}
                        </button>
                      ))}
                  </span>
                  {dropping === x.subject && (
                    <Why
                      label={isWish(x) ? "Reason, shown to those who asked" : "Why it should not be reviewed now"}
                      onSay={(why) => drop(x, why)}
                    />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
      <Ask />
      {may("plan-reviews") && <PlanReview people={reviewers} />}
    </>
  );
}

function Why({ label, onSay }: { label: string; onSay: (why: string) => void }) {
  const [why, setWhy] = useState("");
  return (
    <form
      className="mt-1 flex items-end justify-end gap-3 pb-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (why.trim()) onSay(why.trim());
      }}
    >
      <label>
        <span className="block text-[12px] text-soft">{label}</span>
        <input className="field w-52" autoFocus required value={why} onChange={(e) => setWhy(e.target.value)} />
      </label>
      <button type="submit" className="act">
        Confirm
      </button>
    </form>
  );
}

/** Whether a review of it can be planned, or given to somebody. */
const canPlan = (x: Item) => (x.review ? x.review.state !== "submitted" : !!x.edition && !x.leftOut);

/** Plans a review of each thing chosen, or gives those that are planned to somebody. */
function PlanMany({ items, chosen, reviewers }: { items: Item[]; chosen: Chosen; reviewers: Schemas["Person"][] }) {
  const queries = useQueryClient();
  const [assigned, setAssigned] = useState("");
  const [due, setDue] = useState("");
  const bulk = useBulk(
    async (x: Item) => {
      if (!x.review)
        return take(
          api.POST("/reviews", {
            body: { edition: x.subject, due: due || undefined, assigned: assigned || undefined },
          }),
        );
      const now = await takeWhole(api.GET("/reviews/{id}", { params: { path: { id: x.review.id } } }));
      return take(
        api.PUT("/reviews/{id}/assignment", {
          params: { path: { id: x.review.id }, header: { "If-Match": now.etag } },
          body: { assigned: assigned || now.data.assigned, due: due || now.data.due },
        }),
      );
    },
    (x) => x.subject,
    () => outdated(queries, "queue", "reviews"),
  );
  const some = items.filter((x) => chosen.has(x.subject) && canPlan(x));
  if (some.length === 0 && !bulk.of) return null;
  const all = items.filter(canPlan);
  return (
    <form
      className="sticky top-0 z-10 my-2 flex flex-wrap items-end gap-x-6 gap-y-2 border-y border-ink bg-paper py-2"
      onSubmit={(e) => {
        e.preventDefault();
        void bulk.run(some).then(() => chosen.set([]));
      }}
    >
      <span className="py-1 font-medium">{some.length} chosen</span>
      <button
        type="button"
        className="act"
        onClick={() => chosen.set(some.length === all.length ? [] : all.map((x) => x.subject))}
      >
        {some.length === all.length ? "None" : `All ${all.length}`}
      </button>
      <SelectField
        label="Reviewer"
        value={assigned}
        onChange={setAssigned}
        options={[
          { value: "", label: "unchanged" },
          ...reviewers.map((p) => ({ value: p.name, label: p.title || p.name })),
        ]}
      />
      <label>
        <span className="block text-[13px] text-soft">Due</span>
        <input className="field" type="date" value={due} onChange={(e) => setDue(e.target.value)} />
      </label>
      <button
        type="submit"
        className="main-act"
        disabled={bulk.running || some.length === 0 || (some.every((x) => x.review) && !assigned && !due)}
      >
        {some.every((x) => x.review) ? "Assign" : some.some((x) => x.review) ? "Plan and assign" : "Plan"}
      </button>
      <div className="w-full">
        <BulkOutcome of={bulk} />
      </div>
    </form>
  );
}

/** Whose work a review is, and by when. */
function Assigned({ review, reviewers }: { review: Schemas["Review"]; reviewers: Schemas["Person"][] }) {
  const queries = useQueryClient();
  const assign = useMutation({
    mutationFn: async (assigned: string) => {
      const now = await takeWhole(api.GET("/reviews/{id}", { params: { path: { id: review.id } } }));
      return take(
        api.PUT("/reviews/{id}/assignment", {
          params: { path: { id: review.id }, header: { "If-Match": now.etag } },
          body: { assigned, due: now.data.due },
        }),
      );
    },
    onSettled: () => outdated(queries, "queue"),
  });
  return (
    <>
      <Choice
        quiet
        label={`Reviewer of ${review.edition}`}
        value={review.assigned ?? ""}
        onChange={(name) => assign.mutate(name)}
        options={[
          { value: "", label: "nobody" },
          ...reviewers.map((p) => ({ value: p.name, label: p.title || p.name })),
        ]}
      />
      {assign.error && <span role="alert"> {assign.error.message}</span>}
    </>
  );
}

function Ask() {
  const queries = useQueryClient();
  const [subject, setSubject, dropSubject] = useDraft("request, of what", "");
  const [reason, setReason, dropReason] = useDraft("request, why", "");
  const ask = useMutation({
    mutationFn: () => take(api.POST("/requests", { body: { subject, reason: reason || undefined } })),
    onSuccess: () => {
      dropSubject();
      dropReason();
      void outdated(queries, "queue");
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    ask.mutate();
  };
  return (
    <section className="mt-8">
      <h2 className="border-b border-ink pb-1">Request a review</h2>
      <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-6">
        <Combobox
          label="Subject"
          sort="edition"
          required
          value={subject}
          onChange={setSubject}
          placeholder="the name of an edition, or a description"
        />
        <label>
          <span className="block text-[13px] text-soft">Reason, and for whom</span>
          <input className="field w-72" value={reason} onChange={(e) => setReason(e.target.value)} />
        </label>
        <button type="submit" className="act" disabled={ask.isPending}>
          Request
        </button>
      </form>
      {ask.error && (
        <p role="alert" className="mt-2 text-accent">
          {ask.error.message}
        </p>
      )}
    </section>
  );
}

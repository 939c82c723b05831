import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
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
  if (queue.isError) return <Failure error={queue.error} again={() => queue.refetch()} />;
  const items = queue.data.data.items;
  const placed = items.filter((x) => x.place).map((x) => x.subject);
  const move = (subject: string, by: number) => {
    const next = placed.includes(subject) ? [...placed] : [...placed, subject];
    const i = next.indexOf(subject);
    const to = Math.max(0, Math.min(next.length - 1, i + by));
    next.splice(i, 1);
    next.splice(to, 0, subject);
    order.mutate(next);
  };
  // What nothing but a wish has brought here is declined to those who asked.
  const isWish = (x: Item) => x.why.length === 1 && !!x.request;
  const drop = (x: Item, why: string) => {
    setDropping("");
    if (isWish(x)) decline.mutate({ item: x, why });
    else leave.mutate({ subject: x.subject, why });
  };
  const reviewers = (people.data ?? []).filter((p) => p.may.includes("record-readings"));
  const failed = [order, leave, decline].find((m) => m.error)?.error;
  return (
    <>
      <h1>Queue</h1>
      <p className="mt-1 text-[13px] text-soft">
        In the lead's order; what has no place follows, overdue first, then by how many ask, then alphabetically.
      </p>
      <Refused error={failed} className="my-2" />
      <Sideways label="Queue">
        <table className="ledger">
          <thead>
            <tr>
              <th className="num margin">Place</th>
              <th className="stay">What</th>
              <th>Why</th>
              <th>Whose</th>
              <th>Due</th>
              <th className="num">Answered</th>
              <th>
                <span className="sr-only">What to do</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {items.map((x) => (
              <tr key={x.subject} className={x.leftOut ? "text-soft" : ""}>
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
                      <summary className="ml-2 cursor-pointer text-accent">who</summary>
                      <ul>
                        {x.request.voices.map((v, i) => (
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
                      !x.leftOut && <Take edition={x.subject} name={may("record-readings") ? "Begin" : "Plan"} />
                    )}
                    {lead &&
                      !x.review &&
                      (x.leftOut ? (
                        <button type="button" className="act" onClick={() => leave.mutate({ subject: x.subject })}>
                          Put back
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
                      label={isWish(x) ? "Why, in words for those who asked" : "Why it is not to be reviewed now"}
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
        So be it
      </button>
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
      <select
        aria-label={`Reviewer of ${review.edition}`}
        className="max-w-[9rem] bg-transparent"
        value={review.assigned ?? ""}
        disabled={assign.isPending}
        onChange={(e) => assign.mutate(e.target.value)}
      >
        <option value="">nobody</option>
        {reviewers.map((p) => (
          <option key={p.name} value={p.name}>
            {p.title}
          </option>
        ))}
      </select>
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
      <h2 className="border-b border-ink pb-1">Ask for a review</h2>
      <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-6">
        <label>
          <span className="block text-[13px] text-soft">Of what</span>
          <input
            className="field w-72"
            list="editions"
            required
            value={subject}
            onChange={(e) => setSubject(e.target.value)}
            placeholder="distribution/release/edition, or words"
          />
        </label>
        <label>
          <span className="block text-[13px] text-soft">Why, for whom</span>
          <input className="field w-72" value={reason} onChange={(e) => setReason(e.target.value)} />
        </label>
        <button type="submit" className="act" disabled={ask.isPending}>
          Ask
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

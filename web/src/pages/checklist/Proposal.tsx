import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { titleIn, titleOf, useChecklist } from "../../checklist";
import { Choice } from "../../components/Choice";
import { Failure, Loading, Refused } from "../../components/States";
import { moment } from "../../numbers";
import { Around } from "./Around";
import { Difference } from "./Difference";
import { Effect } from "./Effect";
import { outdated, sourceKey } from "../../keys";
import { useDraft } from "../../drafts";
import { failed } from "../../failed";

export default function ProposalPage() {
  const { id = "" } = useParams();
  const proposal = useQuery({
    queryKey: sourceKey("proposal", id),
    queryFn: () => takeWhole(api.GET("/proposals/{id}", { params: { path: { id } } })),
  });
  return (
    <Around title={proposal.data?.data.title ?? "Proposal"}>
      {failed(proposal) ? (
        <Failure error={proposal.error} again={() => proposal.refetch()} />
      ) : !proposal.data ? (
        <Loading what="the proposal" />
      ) : (
        <Body proposal={proposal.data.data} etag={proposal.data.etag} />
      )}
    </Around>
  );
}

function Body({ proposal: p, etag }: { proposal: Schemas["Proposal"]; etag: string }) {
  const [audience, setAudience] = useState("");
  const list = useChecklist(p.checklist);
  const effect = useQuery({
    queryKey: sourceKey("effect", p.id, audience, etag),
    queryFn: () =>
      take(
        api.GET("/proposals/{id}/effect", {
          params: { path: { id: p.id }, query: { audience: audience || undefined } },
        }),
      ),
    placeholderData: (old) => old,
  });
  return (
    <>
      <p className="text-[13px] text-soft">
        Proposal by {p.person}, {moment(p.created)} · about {p.checklist} · {p.state}
      </p>
      <h1>{p.title}</h1>
      <p className="my-2 max-w-[70ch] text-[15px]">{p.reason}</p>
      {p.state !== "open" && (
        <p className="my-2 max-w-[70ch] border-l-2 border-accent pl-3">
          {p.state} by {p.decidedBy}, {p.decided && moment(p.decided)}
          {p.decision && `: ${p.decision}`}
        </p>
      )}
      <Decide proposal={p} etag={etag} />
      <section className="mt-6">
        <h2 className="border-b border-ink pb-1">What would change</h2>
        {effect.data && <Difference of={effect.data.difference} />}
      </section>
      <section className="mt-6">
        <h2 className="flex flex-wrap items-baseline gap-4 border-b border-ink pb-1">
          Effect on the ranking
          <span className="font-sans text-[13px] font-normal">
            <Choice
              label="for"
              value={audience}
              onChange={setAudience}
              options={[
                { value: "", label: "everybody (default)" },
                ...(list.data?.audiences ?? []).map((a) => ({ value: a.key, label: titleOf(a) })),
              ]}
            />
          </span>
        </h2>
        {failed(effect) ? (
          <Failure error={effect.error} />
        ) : effect.data ? (
          <Effect of={effect.data} title={(key) => titleIn(list.data, key)} />
        ) : (
          <Loading what="its effect" />
        )}
      </section>
      <Comments proposal={p} />
    </>
  );
}

function Decide({ proposal: p, etag }: { proposal: Schemas["Proposal"]; etag: string }) {
  const queries = useQueryClient();
  const [reason, setReason, decided] = useDraft("decision", "");
  const decide = useMutation({
    mutationFn: (state: Schemas["ProposalState"]) =>
      take(
        api.PATCH("/proposals/{id}", {
          params: { path: { id: p.id }, header: { "If-Match": etag } },
          body: { state, reason },
        }),
      ),
    onSuccess: () => (decided(), queries.invalidateQueries()),
  });
  if (!p.may.includes("accept") && !p.may.includes("withdraw")) return null;
  return (
    <div className="my-3 flex max-w-[760px] flex-wrap items-end gap-4">
      <label className="min-w-[260px] flex-1">
        <span className="block text-[13px] text-soft">Reason (required to decline)</span>
        <input className="field w-full" value={reason} maxLength={4000} onChange={(e) => setReason(e.target.value)} />
      </label>
      {p.may.includes("accept") && (
        <>
          <button
            type="button"
            className="main-act"
            disabled={decide.isPending}
            onClick={() => decide.mutate("accepted")}
          >
            Accept into the draft
          </button>
          <button
            type="button"
            className="act"
            disabled={decide.isPending || !reason.trim()}
            onClick={() => decide.mutate("declined")}
          >
            Decline
          </button>
        </>
      )}
      {p.may.includes("withdraw") && (
        <button type="button" className="act" disabled={decide.isPending} onClick={() => decide.mutate("withdrawn")}>
          Withdraw
        </button>
      )}
      <Refused error={decide.error} className="w-full" />
    </div>
  );
}

function Comments({ proposal: p }: { proposal: Schemas["Proposal"] }) {
  const queries = useQueryClient();
  const [text, setText, sent] = useDraft("comment", "");
  const say = useMutation({
    mutationFn: () => take(api.POST("/proposals/{id}/comments", { params: { path: { id: p.id } }, body: { text } })),
    onSuccess: () => {
      sent();
      outdated(queries, sourceKey("proposal", p.id));
    },
  });
  return (
    <section className="mt-6 max-w-[760px]">
      <h2 className="border-b border-ink pb-1">Comments</h2>
      {p.comments.length === 0 && <p className="py-2 text-soft">There are no comments yet.</p>}
      <ul>
        {p.comments.map((c) => (
          <li key={c.at + c.text} className="border-b border-rule py-2">
            <span className="text-[13px] text-soft">
              {c.person}, {moment(c.at)}
            </span>
            <span className="block whitespace-pre-wrap">{c.text}</span>
          </li>
        ))}
      </ul>
      {p.may.includes("comment") && (
        <form
          className="mt-3 flex flex-wrap items-end gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            say.mutate();
          }}
        >
          <label className="min-w-[260px] flex-1">
            <span className="block text-[13px] text-soft">Your comment</span>
            <textarea
              className="field w-full"
              rows={2}
              value={text}
              maxLength={4000}
              onChange={(e) => setText(e.target.value)}
            />
          </label>
          <button type="submit" className="act" disabled={!text.trim() || say.isPending}>
            Comment
          </button>
          {say.error && <p className="text-accent">{say.error.message}</p>}
        </form>
      )}
      <p className="mt-4 text-[13px]">
        <Link className="act" to="/checklist/proposals">
          All proposals
        </Link>
      </p>
    </section>
  );
}

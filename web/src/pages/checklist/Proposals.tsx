import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take, type Schemas } from "../../api";
import { Empty, Failure, Loading } from "../../components/States";
import { nameOf, useVersions } from "../../checklists";
import { day } from "../../numbers";
import { Around } from "./Around";
import { sourceKey } from "../../keys";
import { useMay, useSession } from "../../session";
import { failed } from "../../failed";

export default function ProposalsPage() {
  const session = useSession();
  const may = useMay();
  const versions = useVersions();
  const base = versions.data?.findLast((v) => v.state === "in-force");
  const proposals = useQuery({
    queryKey: sourceKey("proposals"),
    enabled: !!session.data?.signedIn,
    queryFn: () => take(api.GET("/proposals", { params: { query: { limit: 1000 } } })),
  });
  const all = proposals.data?.proposals ?? [];
  const open = all.filter((p) => p.state === "open");
  return (
    <Around title="Proposals">
      <h1>Proposals</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        Every reviewer can propose a change to the checklist in force. The page shows its effect on the ranking before a
        lead accepts it into the draft of the next version.
      </p>
      {session.data && !session.data.signedIn ? (
        <Empty>
          <Link className="act" to="/sign-in?to=/checklist/proposals">
            Sign in
          </Link>{" "}
          to see the proposals.
        </Empty>
      ) : failed(proposals) ? (
        <Failure error={proposals.error} again={() => proposals.refetch()} />
      ) : !proposals.data ? (
        <Loading what="the proposals" />
      ) : (
        <>
          {base && may("propose-changes") && (
            <p className="my-3">
              <Link className="main-act" to={`/checklist/propose/${nameOf(base)}`}>
                Propose a change
              </Link>
            </p>
          )}
          <Group title="Open" none="There are no open proposals." proposals={open} />
          <FromReaders />
          <Group
            title="Decided"
            none="No proposal has been decided yet."
            proposals={all.filter((p) => p.state !== "open")}
          />
        </>
      )}
    </Around>
  );
}

/** What readers suggested for the checklist and a lead accepted: it waits for somebody who writes the proposal. */
function FromReaders() {
  const all = useQuery({ queryKey: sourceKey("suggestions"), queryFn: () => take(api.GET("/suggestions")) });
  const waiting = (all.data?.suggestions ?? []).filter((s) => s.sort === "checklist" && s.state === "accepted");
  if (!waiting.length) return null;
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">From readers</h2>
      <ul>
        {waiting.map((s) => (
          <li key={s.id} className="border-b border-rule py-2">
            <span className="font-medium">{s.subject}</span>: {s.text}
            <span className="block text-[13px] text-soft">{day(s.created)}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Group({ title, none, proposals }: { title: string; none: string; proposals: Schemas["Proposal"][] }) {
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">{title}</h2>
      {proposals.length === 0 && <p className="py-2 text-soft">{none}</p>}
      <ul>
        {proposals.map((p) => (
          <li key={p.id} className="border-b border-rule py-2">
            <Link className="font-serif text-[16px] font-semibold hover:underline" to={`/checklist/proposals/${p.id}`}>
              {p.title}
            </Link>
            <span className="block text-[13px] text-soft">
              {p.person}, {day(p.created)} · about {p.checklist} · {p.edits.length}{" "}
              {p.edits.length === 1 ? "edit" : "edits"} · {p.comments.length}{" "}
              {p.comments.length === 1 ? "comment" : "comments"}
              {p.state !== "open" && ` · ${p.state} by ${p.decidedBy}${p.decision ? `: ${p.decision}` : ""}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

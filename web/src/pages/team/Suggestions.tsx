import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api";
import { useBulk, useChosen } from "../../bulk";
import { BulkOutcome } from "../../components/BulkOutcome";
import { Failure, Loading } from "../../components/States";
import { moment } from "../../numbers";
import { Around } from "./Around";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";
import { failed } from "../../failed";

export const suggestionSorts = {
  review: "a requested review",
  checklist: "a change to the checklist",
  correction: "a correction",
} as const;

export default function SuggestionsPage() {
  return (
    <Around title="Suggestions">
      <List />
    </Around>
  );
}

function List() {
  const all = useQuery({ queryKey: sourceKey("suggestions"), queryFn: () => take(api.GET("/suggestions")) });
  const lead = useMay()("order-queue");
  const queries = useQueryClient();
  const chosen = useChosen();
  const bulk = useBulk(
    (s: Schemas["Suggestion"]) =>
      take(
        api.PATCH("/suggestions/{id}", {
          params: { path: { id: s.id }, header: { "If-Match": String(s.revision) } },
          body: { state: "accepted" },
        }),
      ),
    (s) => s.subject,
    () => outdated(queries, "suggestions", "queue"),
  );
  if (all.isPending) return <Loading what="suggestions" />;
  if (failed(all)) return <Failure error={all.error} again={() => all.refetch()} />;
  const held = all.data.suggestions.filter((s) => s.state === "held");
  const decided = all.data.suggestions.filter((s) => s.state !== "held");
  return (
    <>
      <h1>Suggestions</h1>
      <p className="mt-1 text-[13px] text-soft">
        Suggestions from readers without an account. They stay private until a lead accepts them.
      </p>
      <h2 className="mt-4 border-b border-ink pb-1">To decide</h2>
      {held.length === 0 && <p className="py-1 text-soft">There are no open suggestions.</p>}
      {lead && held.length > 1 && (
        <p className="mt-2 flex flex-wrap items-baseline gap-5 text-[13px]">
          <button
            type="button"
            className="act"
            onClick={() => chosen.set(chosen.keys.size === held.length ? [] : held.map((s) => s.id))}
          >
            {chosen.keys.size === held.length ? "Choose none" : "Choose all"}
          </button>
          <button
            type="button"
            className="act"
            disabled={bulk.running || chosen.keys.size === 0}
            onClick={() => void bulk.run(held.filter((s) => chosen.has(s.id))).then(() => chosen.set([]))}
          >
            Accept the chosen ({chosen.keys.size})
          </button>
        </p>
      )}
      <BulkOutcome of={bulk} />
      <ul>
        {held.map((s) => (
          <li key={s.id} className="border-b border-rule py-2">
            {lead && held.length > 1 && (
              <input
                type="checkbox"
                className="float-left mt-1 mr-3 accent-(--accent)"
                aria-label={`Choose: ${s.subject}`}
                checked={chosen.has(s.id)}
                onChange={() => chosen.toggle(s.id)}
              />
            )}
            <Said s={s} />
            {lead && <Decide s={s} />}
          </li>
        ))}
      </ul>
      <h2 className="mt-6 border-b border-ink pb-1">Decided</h2>
      {decided.length === 0 && <p className="py-1 text-soft">None yet.</p>}
      <ul>
        {decided.map((s) => (
          <li key={s.id} className="border-b border-rule py-2">
            <Said s={s} />
            <span className="text-[13px] text-soft">
              {s.state.replace("-", " ")} by {s.decidedBy}
              {s.decision && `: ${s.decision}`}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

function Said({ s }: { s: Schemas["Suggestion"] }) {
  return (
    <>
      <span className="text-[13px] text-soft">
        {suggestionSorts[s.sort]} · {moment(s.created)}
        {s.contact && ` · ${s.contact}`}
      </span>
      <span className="block font-medium">{s.subject}</span>
      <span className="block max-w-[70ch]">{s.text}</span>
    </>
  );
}

function Decide({ s }: { s: Schemas["Suggestion"] }) {
  const queries = useQueryClient();
  const [why, setWhy, decided] = useDraft(`decision on ${s.id}`, "");
  const decide = useMutation({
    mutationFn: (state: "accepted" | "declined") =>
      take(
        api.PATCH("/suggestions/{id}", {
          params: { path: { id: s.id }, header: { "If-Match": String(s.revision) } },
          body: { state, decision: why || undefined },
        }),
      ),
    onSuccess: decided,
    onSettled: () => {
      void outdated(queries, "suggestions");
      void outdated(queries, "queue");
    },
  });
  return (
    <span className="mt-1 flex flex-wrap items-end gap-5">
      <label>
        <span className="sr-only">Why</span>
        <input
          className="field w-72"
          value={why}
          onChange={(e) => setWhy(e.target.value)}
          placeholder="reason; required to decline"
        />
      </label>
      <button type="button" className="act" disabled={decide.isPending} onClick={() => decide.mutate("accepted")}>
        Accept
      </button>
      <button
        type="button"
        className="act"
        disabled={decide.isPending || !why.trim()}
        onClick={() => decide.mutate("declined")}
      >
        Decline
      </button>
      {decide.error && (
        <span role="alert" className="text-accent">
          {decide.error.message}
        </span>
      )}
    </span>
  );
}

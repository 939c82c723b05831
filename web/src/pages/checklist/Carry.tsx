import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api";
import { Sideways } from "../../components/Sideways";
import { Refused } from "../../components/States";
import { counted, percent, score } from "../../numbers";

type Plan = Schemas["CarriedList"];
type Carried = Schemas["CarriedReview"];

/** Carries reviews on older versions over to this one, after showing what each of them loses. */
export function Carry({ to }: { to: string }) {
  const queries = useQueryClient();
  const [plan, setPlan] = useState<Plan>();
  const carry = useMutation({
    mutationFn: (body: { trial?: boolean; accept?: boolean; unchanged?: boolean }) =>
      take(api.POST("/carried-reviews", { body: { to, ...body } })),
    onSuccess: (list, body) => {
      setPlan(body.trial ? list : undefined);
      if (!body.trial) queries.invalidateQueries();
    },
  });
  const unchanged = plan?.carried.filter((c) => c.accepted) ?? [];
  const rest = (plan?.carried.length ?? 0) - unchanged.length;
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">Reviews on older versions</h2>
      {!plan ? (
        <p className="mt-2 flex flex-wrap items-baseline gap-4">
          {carry.isSuccess && !carry.variables.trial && <span role="status">{summary(carry.data)}</span>}
          <button
            type="button"
            className="act"
            disabled={carry.isPending}
            onClick={() => carry.mutate({ trial: true, accept: true })}
          >
            Carry reviews over to {to}
          </button>
        </p>
      ) : (
        <>
          <p className="mt-2 max-w-[75ch]">
            {unchanged.length} of {plan.carried.length} reviews carry over unchanged: every scored question was asked
            the same way, and the scoring rule is the same or is recomputed. You can accept them in one step.{" "}
            {rest > 0 && `In the other ${rest}, new or changed questions need an answer first.`}
          </p>
          <p className="my-2 flex flex-wrap gap-5">
            {unchanged.length > 0 && (
              <button
                type="button"
                className="main-act"
                disabled={carry.isPending}
                onClick={() => carry.mutate({ accept: true, unchanged: true })}
              >
                Carry over and accept {unchanged.length}
              </button>
            )}
            {rest > 0 && (
              <button
                type="button"
                className="act"
                disabled={carry.isPending}
                onClick={() => carry.mutate({ accept: true })}
              >
                {unchanged.length > 0 ? `Also carry over the other ${rest}` : `Carry over ${rest}`}
              </button>
            )}
            <button type="button" className="act" onClick={() => setPlan(undefined)}>
              Cancel
            </button>
          </p>
          <Lost carried={plan.carried} />
        </>
      )}
      <Refused error={carry.error} className="mt-2" />
    </section>
  );
}

const summary = (done: Plan) => {
  const accepted = done.carried.filter((c) => c.accepted).length;
  const open = done.carried.length - accepted;
  return [
    accepted > 0 && `${counted(accepted, "review")} carried over and accepted.`,
    open > 0 && `${open} carried over. Find them under “My work” to complete them.`,
  ]
    .filter(Boolean)
    .join(" ");
};

/** What each review loses, the unchanged ones first. */
function Lost({ carried }: { carried: Carried[] }) {
  return (
    <Sideways label="Reviews to carry over">
      <table className="ledger">
        <thead>
          <tr>
            <th className="margin stay">Edition</th>
            <th>Carried over</th>
            <th className="num">Score was</th>
            <th className="num">is</th>
            <th className="num">Coverage was</th>
            <th className="num">is</th>
            <th>Lost or missing</th>
          </tr>
        </thead>
        <tbody>
          {carried.map((c) => (
            <tr key={c.from}>
              <th scope="row" className="margin stay">
                {c.edition}
              </th>
              <td>{c.unchanged ? (c.accepted ? "unchanged" : "unchanged, a lead accepts it") : "needs answers"}</td>
              <td className="num">{score(c.was.overall)}</td>
              <td className="num">{score(c.is.overall)}</td>
              <td className="num">{percent(c.was.coverage)}</td>
              <td className="num">{percent(c.is.coverage)}</td>
              <td className="text-[13px]">{lost(c).join(" · ") || <span className="text-soft">nothing</span>}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Sideways>
  );
}

const lost = (c: Carried) =>
  [
    c.dropped.length && `no longer asked: ${c.dropped.join(", ")}`,
    c.askedAgain.length && `asked differently: ${c.askedAgain.join(", ")}`,
    c.new.length && `new: ${c.new.join(", ")}`,
    c.entriesDropped && `${counted(c.entriesDropped, "entry", "entries")} about what is no longer asked`,
  ].filter((x): x is string => !!x);

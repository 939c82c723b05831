import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "../../api";
import type { Checklist, Criterion } from "../../checklist";
import { Refused } from "../../components/States";
import { putEvidence } from "../../evidence";
import { newID } from "../../ids";
import { outdated } from "../../keys";
import { rounded } from "../../numbers";
import { inUnit, placed, type Timed } from "../../recording";
import { useMay } from "../../session";
import { isTimed } from "../../times";
import type { Contender, Run } from "./Timer";

/** What the times answer. */
export type Into = { list: Checklist; criterion: Criterion; rig: string; bench?: string };

/** How a time from a recording is read, as a checklist's vocabulary calls it. */
const method = "recording";

/** Records the runs of each contender in its review, the two pictures of each run as evidence, and the places. */
export function Send({
  contenders,
  runs,
  totals,
  into,
  onSent,
}: {
  contenders: Contender[];
  runs: Run[][];
  totals: (Timed | undefined)[];
  into: Into;
  onSent: () => void;
}) {
  const queries = useQueryClient();
  const may = useMay()("record-readings");
  const { list, criterion: c, rig, bench } = into;
  const order = placed(
    contenders.flatMap((x, i) => (totals[i] && x.edition ? [{ of: x.edition, time: totals[i] }] : [])),
  );
  const send = useMutation({
    mutationFn: async () => {
      let sent = 0;
      for (const [i, x] of contenders.entries()) {
        if (!x.review || runs[i].length === 0) continue;
        await record(x.review, c, rig, runs[i]);
        sent++;
      }
      if (bench && order.flat().length > 1)
        await take(
          api.PUT("/sessions/{id}/placings/{placing}", {
            params: { path: { id: bench, placing: newID() } },
            body: { order, criterion: c.key },
          }),
        );
      return sent;
    },
    onSuccess: onSent,
    onSettled: () => outdated(queries, "sheet", "bench", "review"),
  });
  const known = list.vocabulary?.methods?.some((m) => m.key === method);
  const counts = !c.context?.method || c.context.method === method;
  const there = runs.filter((all) => all.length > 0).length;
  const lacks = contenders.filter((x, i) => runs[i].length > 0 && !x.review);
  if (!isTimed(c.unit))
    return <p className="mt-4 text-soft">A recording gives times, but this criterion is measured in {c.unit}.</p>;
  return (
    <section className="mt-5 border-t border-ink pt-3" aria-label="Record">
      {!known && (
        <p className="max-w-prose">
          The checklist's vocabulary has no method <code>{method}</code>. When a lead adds it, times from a recording
          can be recorded.
        </p>
      )}
      {known && !counts && (
        <p className="max-w-prose text-soft">
          This criterion counts times measured by {c.context?.method}. A time from a recording is saved beside them and
          does not count.
        </p>
      )}
      {lacks.length > 0 && (
        <p className="text-soft">
          {lacks.map((x) => x.label).join(", ")}: there is no review to record in. Plan one in the bench session.
        </p>
      )}
      <button
        type="button"
        className="main-act mt-2"
        disabled={!may || !known || there === 0 || send.isPending}
        onClick={() => send.mutate()}
      >
        {bench ? "Record times and places" : "Record the time"}
      </button>
      {!may && <span className="ml-3 text-soft">Sign in as a reviewer to record it.</span>}
      {send.isSuccess && (
        <p role="status" className="mt-2">
          Recorded in {send.data} {send.data === 1 ? "review" : "reviews"}, with the pictures of start and end.{" "}
          <Link className="act" to={bench ? `/bench/${bench}?criterion=${c.key}` : `/desk/${contenders[0].review}`}>
            {bench ? "Back to the session" : "Back to the desk"}
          </Link>
        </p>
      )}
      <Refused error={send.error} className="mt-2" />
    </section>
  );
}

/** How the runs were read, for readers of the reading. */
function noteOf(runs: Run[]): string {
  const frame = Math.max(...runs.map((r) => r.resolution));
  const all = runs.map((r) => `frames ${r.begin.frame} to ${r.end.frame} of ${r.file}`).join("; ");
  return `timed from a recording: ${all}; one frame lasts ${rounded(1000 * frame, 1)} ms`;
}

/** The reading of one contender, and the pictures that show it. */
async function record(review: string, c: Criterion, rig: string, runs: Run[]) {
  const reading = newID();
  await take(
    api.PUT("/reviews/{id}/readings/{reading}", {
      params: { path: { id: review, reading } },
      body: {
        criterion: c.key,
        rig: rig || undefined,
        context: { ...c.context, method },
        answer: { runs: runs.map((r) => inUnit(r.seconds, c.unit)!) },
        note: noteOf(runs).slice(0, 4000),
      },
    }),
  );
  for (const [n, r] of runs.entries())
    for (const [what, mark] of [
      ["begin", r.begin],
      ["end", r.end],
    ] as const)
      if (mark.still)
        await putEvidence(review, {
          of: reading,
          file: new File([mark.still], `run-${n + 1}-${what}.png`, { type: "image/png" }),
          caption: `Run ${n + 1}, ${what}: frame ${mark.frame} of ${r.file}`,
        });
}

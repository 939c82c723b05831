import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, take } from "../../api";
import { findCriterion, titleOf, type Checklist, type Criterion } from "../../checklist";
import { fetchVersion } from "../../checklists";
import { Answered } from "../../components/Answered";
import { said } from "../../components/Edition";
import { Frame } from "../../components/Frame";
import { sourceKey } from "../../keys";
import { Timer, type Contender } from "./Timer";

/** Where a time is read from a video: of one review, of the contenders of a bench session, or of none. */
export default function RecordingPage() {
  const [search] = useSearchParams();
  const bench = search.get("bench") ?? "";
  const review = search.get("review") ?? "";
  const criterion = search.get("criterion") ?? "";
  return (
    <Frame title="Time a recording">
      <h1>Time a recording</h1>
      {bench && criterion ? (
        <OfBench bench={bench} criterion={criterion} />
      ) : review && criterion ? (
        <OfReview review={review} criterion={criterion} rig={search.get("rig") ?? ""} />
      ) : (
        <>
          <p className="max-w-prose text-soft">
            Open this page from a measure on a desk or in a bench session to record the times there. Here they are only
            shown.
          </p>
          <Timer contenders={[{ label: "A" }, { label: "B" }]} />
        </>
      )}
    </Frame>
  );
}

const useList = (name: string | undefined) =>
  useQuery({
    queryKey: sourceKey("checklist", name ?? ""),
    enabled: !!name,
    queryFn: () => fetchVersion(name!).then((v) => v.data),
  });

function OfReview({ review, criterion, rig }: { review: string; criterion: string; rig: string }) {
  const r = useQuery({
    queryKey: sourceKey("review", review),
    queryFn: () => take(api.GET("/reviews/{id}", { params: { path: { id: review } } })),
  });
  const list = useList(r.data?.checklist);
  return (
    <Answered of={[r, list]} what="the review" none={null}>
      {(of, l) => (
        <Asked
          list={l}
          criterion={criterion}
          rig={rig}
          contenders={[{ label: of.name ? said(of.name) : of.edition, edition: of.edition, review }]}
        />
      )}
    </Answered>
  );
}

function OfBench({ bench, criterion }: { bench: string; criterion: string }) {
  const session = useQuery({
    queryKey: sourceKey("bench", bench),
    queryFn: () => take(api.GET("/sessions/{id}", { params: { path: { id: bench } } })),
  });
  const sheet = useQuery({
    queryKey: sourceKey("sheet", bench, criterion, ""),
    queryFn: () => take(api.GET("/sessions/{id}/criteria/{criterion}", { params: { path: { id: bench, criterion } } })),
  });
  const list = useList(session.data?.plan.plan.checklist);
  return (
    <Answered of={[session, sheet, list]} what="the session" none={null}>
      {(s, lines, l) => (
        <Asked
          list={l}
          criterion={criterion}
          rig={s.session.rig}
          bench={bench}
          contenders={lines.lines.map((x) => ({
            label: s.plan.names[x.edition] ? said(s.plan.names[x.edition]) : x.edition,
            edition: x.edition,
            review: x.review || undefined,
          }))}
        />
      )}
    </Answered>
  );
}

function Asked({
  list,
  criterion,
  contenders,
  rig,
  bench,
}: {
  list: Checklist;
  criterion: string;
  contenders: Contender[];
  rig: string;
  bench?: string;
}) {
  const c: Criterion | undefined = findCriterion(list, criterion);
  if (!c) return <p role="alert">The checklist has no criterion {criterion}.</p>;
  return (
    <>
      <p className="max-w-prose text-soft">
        {titleOf(c)}
        {rig && ` on ${rig}`}. {c.guidance}
      </p>
      <Timer contenders={contenders} into={{ list, criterion: c, rig, bench }} />
    </>
  );
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, type Schemas } from "../../api";
import { titleOf, type Checklist, type Reading } from "../../checklist";
import { hue } from "../../components/Figures";
import { TallyCount } from "../../components/Tally";
import { day, percent, score } from "../../numbers";
import type { EntryView, Part } from "./entries";
import { MoveDialog } from "./Moves";
import { partForms } from "./Record";
import { outdated } from "../../keys";
import { useAbout, useMay } from "../../session";

type Props = {
  review: Schemas["Review"];
  etag: string;
  list: Checklist;
  card: Schemas["Scorecard"];
  gaps: Schemas["Gap"][];
  readings: Reading[];
  hidden: Schemas["HiddenGrade"][];
  entries: EntryView[];
  earlier: number;
  at: number;
  part: string;
  writes: boolean;
  onSection: (s: Checklist["sections"][number]) => void;
  onPart: (part: string) => void;
  onSubmit: () => void;
  onKeys: () => void;
};

/** Beside the desk: whose review it is, its sections and the parts of its record, and what can become of it. */
export function Side({
  review,
  etag,
  list,
  card,
  gaps,
  readings,
  hidden,
  entries,
  earlier,
  at,
  part,
  onSection,
  onPart,
  onSubmit,
  onKeys,
  writes,
}: Props) {
  const about = useAbout();
  const said = new Set([...readings.map((r) => r.criterion), ...hidden.map((h) => h.criterion)]);
  const answered = (s: Checklist["sections"][number]) =>
    s.criteria.filter(
      (c) =>
        (said.has(c.key) && !gaps.some((g) => g.criterion === c.key && !g.bounded)) ||
        (c.kind !== "fact" && card.criteria.find((x) => x.key === c.key)?.state !== "not-tested"),
    ).length;
  const count = (p: Part) => entries.filter((e) => e.entry[p]).length;
  const may = useMay();
  return (
    <div className="border-rule px-5 py-4 max-lg:border-b lg:w-[212px] lg:border-r">
      <p className="text-[13px] text-soft">Review, {review.state.replace("-", " ")}</p>
      <h1 className="text-[24px]!">{review.name.distribution}</h1>
      <p className="font-serif text-[18px] font-semibold">
        {review.name.release} {review.name.edition}
      </p>
      <p className="text-[13px] text-soft">
        {list.title} {list.version}
        {review.preRelease && " · a pre-release"}
        {review.continues && " · a revisit"}
        {review.due && (
          <>
            {" "}
            · due{" "}
            <span className={about.data && review.due < about.data.now.slice(0, 10) ? "text-accent" : ""}>
              {day(review.due)}
            </span>
          </>
        )}
      </p>
      <nav aria-label="Sections" className="my-4 max-lg:grid max-lg:grid-cols-2 max-lg:gap-x-6">
        {list.sections.map((s, i) => (
          <button
            key={s.key}
            type="button"
            aria-current={!part && i === at ? "true" : undefined}
            onClick={() => onSection(s)}
            className="block w-full border-b border-rule py-2 text-left"
          >
            <span className="mb-1 flex items-baseline justify-between">
              <span className={`font-serif ${!part && i === at ? "font-semibold" : ""}`}>
                <span aria-hidden="true" className="mr-1.5 inline-block h-2 w-2" style={{ background: hue(i) }} />
                {titleOf(s)}
              </span>
              <span className="text-[12px] text-soft">
                {answered(s)} of {s.criteria.length}
              </span>
            </span>
            <TallyCount
              done={answered(s)}
              of={s.criteria.length}
              label={`${answered(s)} of ${s.criteria.length} done`}
            />
          </button>
        ))}
      </nav>
      <p className="text-[13px] text-soft">
        Coverage {percent(card.coverage)}
        <br />
        Score so far {score(card.overall)}, possible {score(card.low)}–{score(card.high)}
      </p>
      <div className="mt-4 flex flex-col items-start gap-3">
        {review.may.includes("submit") && (
          <button type="button" className="main-act" onClick={onSubmit}>
            Submit…
          </button>
        )}
        {review.may.includes("withdraw") && <LeadMoves review={review} etag={etag} />}
        {may("see-history") && (
          <Link className="act" to={`/team/audit?sort=review&subject=${review.id}`}>
            History
          </Link>
        )}
        {review.reason && <p className="text-[13px] text-soft">“{review.reason}”</p>}
        {review.alone && <p className="text-[13px] text-soft">Accepted by its only reviewer; readers see this.</p>}
        {(review.state === "accepted" || review.final) && review.may.includes("revisit") && <Again review={review} />}
        {review.state === "submitted" && !review.may.includes("accept") && (
          <p className="text-[13px] text-soft">Submitted; waiting for a lead.</p>
        )}
        {review.state === "accepted" && writes && (
          <p className="text-[13px] text-soft">
            Accepted. New readings count when a lead reopens and accepts the review again.
          </p>
        )}
      </div>
      <button
        type="button"
        onClick={onKeys}
        className="mt-3 min-h-[24px] text-[13px] text-soft hover:text-ink max-md:hidden"
      >
        <span className="key">?</span> all keys
      </button>
      <nav aria-label="Record" className="mt-3 flex flex-wrap gap-x-4 text-[13px] lg:block">
        {partForms.map((f) => (
          <button
            key={f.part}
            type="button"
            aria-current={part === f.part ? "true" : undefined}
            onClick={() => onPart(f.part)}
            className={`flex min-h-[26px] items-baseline justify-between gap-2 py-0.5 text-left lg:w-full ${part === f.part ? "bg-chosen px-1 font-semibold" : ""}`}
          >
            {f.title}
            <span className="text-[12px] text-soft">
              {f.part === "finding" && earlier > 0 && <span className="text-accent">{earlier} to check · </span>}
              {count(f.part) || "–"}
            </span>
          </button>
        ))}
        <button
          type="button"
          aria-current={part === "pictures" ? "true" : undefined}
          onClick={() => onPart("pictures")}
          className={`flex min-h-[26px] items-baseline justify-between gap-2 py-0.5 text-left lg:w-full ${part === "pictures" ? "bg-chosen px-1 font-semibold" : ""}`}
        >
          Pictures
          <span className="text-[12px] text-soft">
            {(list.shots ?? []).filter((s) => entries.some((e) => e.entry.evidence?.shot === s.key)).length} of{" "}
            {(list.shots ?? []).length}
          </span>
        </button>
      </nav>
    </div>
  );
}

/** A review goes on in a revisit or, where the final release is out, in a recheck of what a pre-release had. */
function Again({ review }: { review: Schemas["Review"] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const plan = useMutation({
    mutationFn: () =>
      take(
        api.POST("/reviews", {
          body: review.final
            ? { edition: review.final }
            : { edition: review.edition, checklist: review.checklist, continues: review.id },
        }),
      ),
    onSuccess: (r) => {
      void outdated(queries, "reviews");
      navigate(`/desk/${r.id}`);
    },
  });
  return (
    <>
      <button type="button" className="act" disabled={plan.isPending} onClick={() => plan.mutate()}>
        {review.final ? "Check the final release" : "Revisit"}
      </button>
      {plan.error && (
        <p role="alert" className="text-accent">
          {plan.error.message}
        </p>
      )}
    </>
  );
}

function LeadMoves({ review, etag }: { review: Schemas["Review"]; etag: string }) {
  const [to, setTo] = useState<"" | "accepted" | "underway" | "withdrawn">("");
  const on = (state: "accepted" | "underway" | "withdrawn") => (o: boolean) => setTo(o ? state : "");
  const withdraw = (
    <>
      <button type="button" className="act" onClick={() => setTo("withdrawn")}>
        Withdraw…
      </button>
      <MoveDialog
        review={review.id}
        etag={etag}
        to="withdrawn"
        title="Withdraw this review?"
        act="Withdraw"
        needsReason
        open={to === "withdrawn"}
        onOpen={on("withdrawn")}
      >
        It no longer counts anywhere, and nothing more can be recorded in it. Everything in it is kept.
      </MoveDialog>
    </>
  );
  if (review.state === "submitted")
    return (
      <>
        <button type="button" className="main-act" onClick={() => setTo("accepted")}>
          Accept…
        </button>
        <button type="button" className="act" onClick={() => setTo("underway")}>
          Return
        </button>
        <MoveDialog
          review={review.id}
          etag={etag}
          to="accepted"
          title="Accept this review?"
          act="Accept"
          open={to === "accepted"}
          onOpen={on("accepted")}
        >
          Its readings and entries become public and count in the ranking.
        </MoveDialog>
        <MoveDialog
          review={review.id}
          etag={etag}
          to="underway"
          title="Return this review?"
          act="Return"
          open={to === "underway"}
          onOpen={on("underway")}
        >
          The reviewer can continue to work on it.
        </MoveDialog>
        {withdraw}
      </>
    );
  if (review.state === "accepted")
    return (
      <>
        <button type="button" className="act" onClick={() => setTo("underway")}>
          Reopen…
        </button>
        <MoveDialog
          review={review.id}
          etag={etag}
          to="underway"
          title="Reopen this review?"
          act="Reopen"
          needsReason
          open={to === "underway"}
          onOpen={on("underway")}
        >
          Readers see it as it was accepted until it is accepted again.
        </MoveDialog>
        {withdraw}
      </>
    );
  return review.state === "withdrawn" ? null : withdraw;
}

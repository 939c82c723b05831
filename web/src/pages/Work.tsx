import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent, type ReactNode } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, takeWhole, type Schemas } from "../api";
import { useBulk, useChosen, type Chosen } from "../bulk";
import { nameOf, pathOf, useVersions } from "../checklists";
import { Combobox } from "../components/Combobox";
import { SelectField } from "../components/SelectField";
import { Asked } from "../components/Asked";
import { BulkOutcome } from "../components/BulkOutcome";
import { EditionLabel, said } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Empty, Failure, Loading, Refused } from "../components/States";
import { counted, day, moment, percent } from "../numbers";
import { useAnswers } from "../unsent/answers";
import { openStates, useAcceptedReviews, useReviews } from "../lists";
import { outdated, sourceKey } from "../keys";
import { useMay, useSession } from "../session";
import { useDraft } from "../drafts";
import { failed } from "../failed";

type Review = Schemas["Review"];
type Item = Schemas["QueueItem"];

export default function WorkPage() {
  const session = useSession();
  const me = session.data?.person;
  const reviews = useReviews(openStates, !!me);
  const accepted = useAcceptedReviews(!!me);
  const queue = useQuery({ queryKey: sourceKey("queue"), enabled: !!me, queryFn: () => take(api.GET("/queue")) });
  const may = useMay();
  const chosen = useChosen();
  const versions = useVersions();
  const waiting = useAnswers().filter((a) => a.person === me?.name).length;
  if (session.isPending)
    return (
      <Frame title="My work">
        <Loading what="your work" />
      </Frame>
    );
  if (!me)
    return (
      <Frame title="My work">
        <Empty>
          <h1 className="mb-2 text-ink">My work</h1>
          <Link className="act" to="/sign-in?to=/work">
            Sign in
          </Link>{" "}
          to see your work.
        </Empty>
      </Frame>
    );
  const being = reviews.data ?? [];
  const stand = accepted.data?.pages.flatMap((p) => p.reviews) ?? [];
  const all = [...being, ...stand];
  // The newest version in force that a review could be carried over to.
  const newer = (r: Review): string | undefined => {
    const { checklist, version } = pathOf(r.checklist);
    const next = versions.data?.findLast((v) => v.key === checklist && v.state === "in-force" && v.version > version);
    const there =
      next && all.some((x) => x.edition === r.edition && x.checklist === nameOf(next) && x.state !== "withdrawn");
    return next && !there ? nameOf(next) : undefined;
  };
  const open = (r: Review) => r.state === "planned" || r.state === "underway";
  const reviewer = may("record-readings");
  const submitted = being.filter((r) => r.state === "submitted");
  const mine = all
    .filter((r) => open(r) && r.assigned === me.name)
    .sort((a, b) => (a.due || "9").localeCompare(b.due || "9"));
  const progress = new Map((queue.data?.items ?? []).filter((x) => x.review).map((x) => [x.review!.id, x.progress]));
  return (
    <Frame title="My work">
      <h1>My work</h1>
      <p className="mt-2 flex flex-wrap gap-6 text-[13px]">
        <Link className="act" to="/data-quality">
          Data quality
        </Link>
        <Link className="act" to="/known-issues">
          Known issues
        </Link>
        <Link className="act" to="/checklist/proposals">
          Proposals
        </Link>
        <CalendarAddress />
        <Link className="act" to="/client">
          Get the client
        </Link>
        <Link className="act" to="/recording">
          Time a recording
        </Link>
      </p>
      {waiting > 0 && (
        <p className="mt-3 text-accent">
          {waiting === 1 ? "One answer" : `${waiting} answers`} typed in this browser {waiting === 1 ? "is" : "are"} not
          recorded yet. Open the review to send {waiting === 1 ? "it" : "them"}.
        </p>
      )}
      {reviews.isPending || accepted.isPending ? (
        <Loading what="reviews" />
      ) : failed(reviews) ? (
        <Failure error={reviews.error} again={() => reviews.refetch()} />
      ) : (
        <>
          {reviewer && (
            <Group title="Assigned to me" none="Nothing is assigned to you." reviews={mine} progress={progress}>
              {(r) => <Doubtful review={r} />}
            </Group>
          )}
          <Group
            title={may("accept-reviews") ? "Waiting for you" : "Waiting for a lead"}
            none="No review is submitted."
            reviews={submitted}
            progress={progress}
            chosen={may("accept-reviews") && submitted.length > 1 ? chosen : undefined}
          />
          {may("accept-reviews") && (
            <AcceptMany reviews={submitted.filter((r) => chosen.has(r.id))} onDone={() => chosen.set([])} />
          )}
          <Group
            title="In progress by others"
            none="No other review is in progress."
            reviews={all.filter((r) => open(r) && (r.assigned !== me.name || !reviewer))}
            progress={progress}
          />
          {may("plan-reviews") && <Due items={queue.data?.items ?? []} />}
          <Group
            title="Accepted"
            none="No review is accepted yet."
            reviews={stand}
            newer={may("plan-reviews") ? newer : undefined}
          />
          {failed(accepted) && <Failure error={accepted.error} again={() => accepted.refetch()} />}
          {accepted.hasNextPage && (
            <p className="mt-1">
              <button
                type="button"
                className="act"
                disabled={accepted.isFetchingNextPage}
                onClick={() => accepted.fetchNextPage()}
              >
                Show more
              </button>
            </p>
          )}
        </>
      )}
    </Frame>
  );
}

/** What needs attention in one's own review. */
function Doubtful({ review }: { review: Review }) {
  const quality = useQuery({
    queryKey: sourceKey("reviewQuality", review.id),
    enabled: review.state === "underway",
    queryFn: () => take(api.GET("/reviews/{id}/data-quality", { params: { path: { id: review.id } } })),
  });
  const n =
    (quality.data?.readings.length ?? 0) +
    (quality.data?.surprises.filter((s) => !s.confirmed).length ?? 0) +
    (quality.data?.disagreements.length ?? 0);
  return n ? <span className="text-ink"> · {n} doubtful</span> : null;
}

function Group({
  title,
  none,
  reviews,
  newer,
  progress,
  chosen,
  children,
}: {
  title: string;
  none: string;
  reviews: Review[];
  newer?: (r: Review) => string | undefined;
  progress?: Map<string, number>;
  chosen?: Chosen;
  children?: (r: Review) => ReactNode;
}) {
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">{title}</h2>
      {reviews.length === 0 ? (
        <p className="py-1 text-soft">{none}</p>
      ) : (
        <ul>
          {reviews.map((r) => (
            <li
              key={r.id}
              className="grid grid-cols-[1fr_auto] gap-x-4 border-b border-rule py-1 md:grid-cols-[22rem_7rem_8rem_1fr_auto]"
            >
              <span>
                {chosen && (
                  <input
                    type="checkbox"
                    className="mr-3 accent-(--accent)"
                    aria-label={`Choose ${said(r.name)}`}
                    checked={chosen.has(r.id)}
                    onChange={() => chosen.toggle(r.id)}
                  />
                )}
                <EditionLabel name={r.name} />
              </span>
              <span className="text-soft max-md:hidden">{r.state.replace("-", " ")}</span>
              <span className="text-soft max-md:hidden">{r.assigned}</span>
              <span className={r.overdue ? "text-accent max-md:order-4" : "text-soft max-md:order-4"}>
                {[
                  r.due && `due ${day(r.due)}${r.overdue ? ", overdue" : ""}`,
                  r.state === "accepted" && r.accepted && `accepted ${moment(r.accepted)}`,
                  r.alone && "by its only reviewer",
                  progress?.has(r.id) && `${percent(progress.get(r.id)!)} answered`,
                  r.accepted && !!r.waiting && `${counted(r.waiting, "entry", "entries")} not accepted yet`,
                  r.preRelease && (r.final ? "a pre-release; the final release is out" : "a pre-release"),
                  r.checklist,
                ]
                  .filter(Boolean)
                  .join(" · ")}
                {r.carriedFrom && ", carried over"}
                {children?.(r)}
                {newer?.(r) && <CarryOne review={r} to={newer(r)!} />}
              </span>
              <Link className="act self-start" to={`/desk/${r.id}`}>
                Open
              </Link>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

/** Accepts the reviews chosen, after asking. */
function AcceptMany({ reviews, onDone }: { reviews: Review[]; onDone: () => void }) {
  const queries = useQueryClient();
  const [asking, setAsking] = useState(false);
  const bulk = useBulk(
    async (r: Review) => {
      const now = await takeWhole(api.GET("/reviews/{id}", { params: { path: { id: r.id } } }));
      return take(
        api.PATCH("/reviews/{id}", {
          params: { path: { id: r.id }, header: { "If-Match": now.etag } },
          body: { state: "accepted" },
        }),
      );
    },
    (r) => said(r.name),
    () => queries.invalidateQueries(),
  );
  return (
    <>
      {reviews.length > 0 && (
        <p className="mt-2">
          <button type="button" className="act" onClick={() => setAsking(true)}>
            Accept the chosen reviews ({reviews.length})
          </button>
        </p>
      )}
      <BulkOutcome of={bulk} />
      <Asked
        open={asking}
        onOpen={setAsking}
        title={`Accept ${counted(reviews.length, "review")}`}
        act="Accept"
        onYes={() => {
          setAsking(false);
          void bulk.run(reviews).then(onDone);
        }}
      >
        <p>Their answers count in the ranking from now on:</p>
        <ul className="my-2 list-disc pl-5">
          {reviews.map((r) => (
            <li key={r.id}>{said(r.name)}</li>
          ))}
        </ul>
      </Asked>
    </>
  );
}

/** The next entries of the queue that nobody has started. */
function Due({ items }: { items: Item[] }) {
  const free = items.filter((x) => !x.review && !x.leftOut).slice(0, 8);
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">Next in the queue</h2>
      {free.length === 0 && <p className="py-1 text-soft">The queue is empty.</p>}
      <ul>
        {free.map((x) => (
          <li
            key={x.subject}
            className="grid grid-cols-[1fr_auto] gap-x-4 border-b border-rule py-1 md:grid-cols-[22rem_1fr_auto]"
          >
            <span>{x.name?.distribution ? <EditionLabel name={x.name} /> : x.subject}</span>
            <span className="text-soft max-md:order-3 max-md:col-span-2">{x.why.map((w) => w.says).join("; ")}</span>
            {x.edition && <Take edition={x.subject} />}
          </li>
        ))}
      </ul>
      <p className="mt-2">
        <Link className="act" to="/team">
          The whole queue
        </Link>
      </p>
    </section>
  );
}

export function Take({ edition, name = "Start" }: { edition: string; name?: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const plan = useMutation({
    mutationFn: () => take(api.POST("/reviews", { body: { edition } })),
    onSuccess: (r) => {
      void outdated(queries, "reviews");
      void outdated(queries, "queue");
      navigate(`/desk/${r.id}`);
    },
  });
  return (
    <span>
      <button type="button" className="act" disabled={plan.isPending} onClick={() => plan.mutate()}>
        {name}
      </button>
      {plan.error && <span role="alert"> {plan.error.message}</span>}
    </span>
  );
}

function CarryOne({ review, to }: { review: Review; to: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const carry = useMutation({
    mutationFn: () => take(api.POST("/carried-reviews", { body: { to, reviews: [review.id] } })),
    onSuccess: (list) => {
      void outdated(queries, "reviews");
      navigate(`/desk/${list.carried[0].review}`);
    },
  });
  return (
    <>
      {" "}
      <button type="button" className="act ml-2" disabled={carry.isPending} onClick={() => carry.mutate()}>
        Carry over to {to}
      </button>
      {carry.error && <span role="alert"> {carry.error.message}</span>}
    </>
  );
}

/** The address of one's own calendar, shown once. */
function CalendarAddress() {
  const open = useMutation({ mutationFn: () => take(api.POST("/me/calendar")) });
  if (open.data)
    return (
      <span>
        For your calendar program, shown only once:{" "}
        <code className="bg-chosen px-1 break-all">{location.origin + open.data.path}</code>
      </span>
    );
  return (
    <button type="button" className="act" onClick={() => open.mutate()} disabled={open.isPending}>
      My calendar
    </button>
  );
}

/** Plans a review of any edition. */
export function PlanReview({ people }: { people: { name: string; title: string }[] }) {
  const queries = useQueryClient();
  const [edition, setEdition, planned] = useDraft("edition to review", "");
  const [assigned, setAssigned] = useState("");
  const [due, setDue] = useState("");
  const plan = useMutation({
    mutationFn: () =>
      take(api.POST("/reviews", { body: { edition, due: due || undefined, assigned: assigned || undefined } })),
    onSuccess: () => {
      planned();
      void outdated(queries, "reviews");
      void outdated(queries, "queue");
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    plan.mutate();
  };
  return (
    <section className="mt-8">
      <h2 className="border-b border-ink pb-1">Plan a review</h2>
      <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-6">
        <Combobox
          label="Edition"
          sort="edition"
          required
          value={edition}
          onChange={setEdition}
          placeholder="a few letters of its name"
        />
        <SelectField
          label="Reviewer"
          value={assigned}
          onChange={setAssigned}
          options={[
            { value: "", label: "empty: nobody yet, or you" },
            ...people.map((p) => ({ value: p.name, label: p.title || p.name })),
          ]}
        />
        <label>
          <span className="block text-[13px] text-soft">Due</span>
          <input className="field" type="date" value={due} onChange={(e) => setDue(e.target.value)} />
        </label>
        <button type="submit" className="main-act" disabled={plan.isPending}>
          Plan
        </button>
      </form>
      <Refused error={plan.error} className="mt-2" />
    </section>
  );
}

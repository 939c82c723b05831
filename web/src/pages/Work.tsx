import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, type Schemas } from "../api";
import { nameOf, useVersions } from "../checklists";
import { EditionLabel } from "../components/Edition";
import { Frame, useRoles, useSession } from "../components/Frame";
import { Empty, Failure, Loading, Wrong } from "../components/States";
import { day, moment } from "../numbers";

type Review = Schemas["Review"];

export default function WorkPage() {
  const session = useSession();
  const me = session.data?.person;
  const reviews = useQuery({ queryKey: ["reviews"], enabled: !!me, queryFn: () => take(api.GET("/reviews", { params: { query: { limit: 1000 } } })) });
  const roles = useRoles();
  const versions = useVersions();
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
          to see what is yours to do.
        </Empty>
      </Frame>
    );
  const all = reviews.data?.reviews ?? [];
  // The newest version in force that a review could be carried over to.
  const newer = (r: Review): string | undefined => {
    const [key, version] = r.checklist.split("@");
    const next = versions.data?.findLast((v) => v.key === key && v.state === "in-force" && v.version > Number(version));
    const there = next && all.some((x) => x.edition === r.edition && x.checklist === nameOf(next) && x.state !== "withdrawn");
    return next && !there ? nameOf(next) : undefined;
  };
  const open = (r: Review) => r.state === "planned" || r.state === "underway";
  return (
    <Frame title="My work">
      <h1>My work</h1>
      <p className="mt-2 flex gap-6 text-[13px]">
        <Link className="act" to="/look-into">
          To look into
        </Link>
        <Link className="act" to="/checklist/proposals">
          Proposals
        </Link>
      </p>
      {reviews.isPending ? (
        <Loading what="reviews" />
      ) : reviews.isError ? (
        <Failure error={reviews.error} again={() => reviews.refetch()} />
      ) : (
        <>
          {roles.includes("reviewer") && <Group title="Mine to do" none="Nothing is assigned to you." reviews={all.filter((r) => open(r) && r.assigned === me.name)} />}
          <Group title="Waiting for the lead" none="No review is handed in." reviews={all.filter((r) => r.state === "handed-in")} />
          <Group title="Others under way" none="No other review is under way." reviews={all.filter((r) => open(r) && (r.assigned !== me.name || !roles.includes("reviewer")))} />
          <Group title="Accepted" none="No review is accepted yet." reviews={all.filter((r) => r.state === "accepted")} newer={roles.includes("reviewer") || roles.includes("lead") ? newer : undefined} />
          {(roles.includes("reviewer") || roles.includes("lead")) && <PlanReview />}
        </>
      )}
    </Frame>
  );
}

function Group({ title, none, reviews, newer }: { title: string; none: string; reviews: Review[]; newer?: (r: Review) => string | undefined }) {
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">{title}</h2>
      {reviews.length === 0 ? (
        <p className="py-1 text-soft">{none}</p>
      ) : (
        <ul>
          {reviews.map((r) => (
            <li key={r.id} className="grid grid-cols-[1fr_auto] gap-x-4 border-b border-rule py-1 md:grid-cols-[22rem_7rem_8rem_1fr_auto]">
              <span>
                <EditionLabel name={r.name} />
              </span>
              <span className="text-soft max-md:hidden">{r.state.replace("-", " ")}</span>
              <span className="text-soft max-md:hidden">{r.assigned}</span>
              <span className={r.overdue ? "text-accent max-md:order-4" : "text-soft max-md:order-4"}>
                {r.due && `due ${day(r.due)}`}
                {r.overdue && ", overdue"}
                {r.state === "accepted" && r.accepted && `accepted ${moment(r.accepted)}`}
                {r.accepted && !!r.waiting && ` · ${r.waiting} readings wait`}
                {` · ${r.checklist}`}
                {r.carriedFrom && ", carried over"}
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

function CarryOne({ review, to }: { review: Review; to: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const carry = useMutation({
    mutationFn: () => take(api.POST("/carried-reviews", { body: { to, reviews: [review.id] } })),
    onSuccess: (list) => {
      void queries.invalidateQueries({ queryKey: ["reviews"] });
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

function PlanReview() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [edition, setEdition] = useState("");
  const [due, setDue] = useState("");
  const editions = useQuery({ queryKey: ["editions"], queryFn: () => take(api.GET("/editions", { params: { query: { limit: 1000 } } })) });
  const plan = useMutation({
    mutationFn: () => take(api.POST("/reviews", { body: { edition, due: due || undefined } })),
    onSuccess: (r) => {
      void queries.invalidateQueries({ queryKey: ["reviews"] });
      navigate(`/desk/${r.id}`);
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
        <label>
          <span className="block text-[13px] text-soft">Edition</span>
          <input className="field w-72" list="editions" required value={edition} onChange={(e) => setEdition(e.target.value)} placeholder="distribution/release/edition" />
          <datalist id="editions">
            {(editions.data?.editions ?? []).map((e) => (
              <option key={`${e.distribution}/${e.release}/${e.key}`} value={`${e.distribution}/${e.release}/${e.key}`} />
            ))}
          </datalist>
        </label>
        <label>
          <span className="block text-[13px] text-soft">Due</span>
          <input className="field" type="date" value={due} onChange={(e) => setDue(e.target.value)} />
        </label>
        <button type="submit" className="main-act" disabled={plan.isPending}>
          Plan
        </button>
      </form>
      {plan.isError && (
        <div role="alert" className="mt-2 text-accent">
          {plan.error.message}
          <Wrong error={plan.error} />
        </div>
      )}
    </section>
  );
}

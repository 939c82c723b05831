import { useMutation, useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useLocation } from "react-router";
import { api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { said } from "../../components/Edition";
import { TextField } from "../../components/Fields";
import { Frame } from "../../components/Frame";
import { Empty, Refused } from "../../components/States";
import { sourceKey } from "../../keys";
import { openStates, useReviews } from "../../lists";
import { clock } from "../../numbers";
import { useMay, useSession } from "../../session";

/** Where somebody lets a machine record in a review, by the code that it shows. */
export default function MachinePage() {
  const session = useSession();
  const may = useMay();
  const typed = decodeURIComponent(useLocation().hash.slice(1));
  const to = `/sign-in?to=${encodeURIComponent(`/machine#${typed}`)}`;
  return (
    <Frame title="Sign a machine in">
      <div className="mt-8 max-w-xl border-l border-accent pl-6">
        <h1>Sign a machine in</h1>
        {session.data && !session.data.signedIn ? (
          <Empty>
            <Link className="act" to={to}>
              Sign in
            </Link>{" "}
            to sign a machine in.
          </Empty>
        ) : session.data && !may("record-readings") ? (
          <Empty>Reviewers sign machines in: what a machine records is recorded in their name.</Empty>
        ) : (
          <>
            <p className="mb-4 text-[13px] text-soft">
              <code>dtally login</code> on a machine under review shows a code. Do not type a password there.{" "}
              <Link className="act" to="/client">
                Get the client
              </Link>
            </p>
            <Find key={typed} typed={typed} />
          </>
        )}
      </div>
    </Frame>
  );
}

/** The code, as the address has it or as it is typed, and the machine that shows it. */
function Find({ typed }: { typed: string }) {
  const [code, setCode] = useState(typed);
  const [asked, setAsked] = useState(typed);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    setAsked(code.trim());
  };
  return (
    <>
      <form onSubmit={submit} className="flex items-end gap-4">
        <div className="w-48">
          <TextField label="Code" value={code} onChange={setCode} />
        </div>
        <button type="submit" className={asked ? "act" : "main-act"} disabled={!code.trim()}>
          Find the machine
        </button>
      </form>
      {asked && <Decide key={asked} code={asked} />}
    </>
  );
}

function Decide({ code }: { code: string }) {
  const person = useSession().data?.person?.name;
  const machine = useQuery({
    queryKey: sourceKey("machine", code),
    queryFn: () => take(api.POST("/machines/found", { body: { code } })),
    retry: false,
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const reviews = useReviews(openStates);
  return (
    <Answered of={[machine, reviews]} what="the machine" none={null}>
      {(m, all) => (
        <Found
          code={code}
          machine={m}
          reviews={[...all].sort((a, b) => Number(b.assigned === person) - Number(a.assigned === person))}
        />
      )}
    </Answered>
  );
}

function Found({
  code,
  machine: m,
  reviews,
}: {
  code: string;
  machine: Schemas["WaitingMachine"];
  reviews: Schemas["Review"][];
}) {
  const requested = reviews.find((r) => r.id === m.requested);
  const [review, setReview] = useState((requested ?? reviews[0])?.id ?? "");
  const decide = useMutation({
    mutationFn: (chosen?: string) =>
      take(api.POST("/machines/decided", { body: { code, ...(chosen && { review: chosen }) } })).then(() => chosen),
  });
  if (decide.isSuccess)
    return (
      <p role="status" className="mt-4">
        {decide.data ? (
          <>
            The machine is signed in. It can record in that review until tomorrow. To end it sooner, use{" "}
            <Link className="act" to="/account">
              My account
            </Link>
            .
          </>
        ) : (
          "The machine was rejected."
        )}
      </p>
    );
  return (
    <section className="mt-6" aria-label="The machine">
      <p>
        <b>{m.name || "An unnamed machine"}</b> at {m.address} asks since {clock(new Date(m.made))} to record in a
        review.
      </p>
      <p className="text-[13px] text-soft">
        Approve it only if you started this yourself and it shows this code. What it records is recorded in your name.
      </p>
      {reviews.length === 0 ? (
        <Empty>
          There is no open review.{" "}
          <Link className="act" to="/work">
            Start one
          </Link>
        </Empty>
      ) : (
        <fieldset className="mt-3">
          <legend className="text-[13px] text-soft">It can record in</legend>
          {reviews.map((r) => (
            <label key={r.id} className="flex items-baseline gap-2 py-0.5">
              <input
                type="radio"
                name="review"
                className="accent-(--accent)"
                checked={review === r.id}
                onChange={() => setReview(r.id)}
              />
              <span>
                {said(r.name)}{" "}
                <span className="text-[13px] text-soft">
                  {r.state.replace("-", " ")}
                  {r.assigned && `, ${r.assigned}`}
                </span>
              </span>
            </label>
          ))}
        </fieldset>
      )}
      <p className="mt-4 flex gap-6">
        <button
          type="button"
          className="main-act"
          disabled={!review || decide.isPending}
          onClick={() => decide.mutate(review)}
        >
          Approve
        </button>
        <button type="button" className="act" disabled={decide.isPending} onClick={() => decide.mutate(undefined)}>
          Reject
        </button>
      </p>
      <Refused error={decide.error} className="mt-2" />
    </section>
  );
}

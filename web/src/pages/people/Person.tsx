import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { EditionLabel } from "../../components/Edition";
import { Answered } from "../../components/Answered";
import { Asked } from "../../components/Asked";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { openStates, useReviews } from "../../lists";
import { day } from "../../numbers";
import { useMay, useSession } from "../../session";
import { Around } from "../team/Around";
import { Details } from "./Details";
import { LinkFor } from "./LinkFor";
import { SignedInPlaces } from "./SignedInPlaces";
import { Linked } from "./Linked";
import { Passkeys } from "./Passkeys";
import { Tokens } from "./Tokens";
import { stateOf } from "./states";

type Person = Schemas["Person"];

/** One of the team: what they do, and for administrators their account. */
export default function PersonPage() {
  const { person = "" } = useParams();
  const navigate = useNavigate();
  const manages = useMay()("manage-people");
  const mine = useSession().data?.person?.name === person;
  const one = useQuery({
    queryKey: sourceKey("people", person),
    queryFn: () => takeWhole(api.GET("/people/{person}", { params: { path: { person } } })),
  });
  return (
    <Around title={one.data?.data.title ?? person}>
      <p className="text-[13px]">
        <Link className="act" to="/team/people">
          People
        </Link>{" "}
        ›
      </p>
      <Answered of={[one]} what="the account" none={null}>
        {({ data: p, etag }) => (
          <>
            <h1>
              <bdi>{p.title}</bdi>
            </h1>
            <p className="text-[13px] text-soft">
              {[p.name, p.roles.join(", ") || "no role", stateOf(p)].join(" · ")}
              {mine && (
                <>
                  {" · "}
                  <Link className="act" to="/account">
                    My account
                  </Link>
                </>
              )}
            </p>
            {p.disclosure && <p className="mt-2 max-w-[70ch]">Disclosure: {p.disclosure}</p>}
            <InHand person={p.name} />
            {manages && (
              <>
                <section className="mt-8">
                  <h2 className="max-w-3xl border-b border-ink pb-1">Account</h2>
                  <Details
                    key={etag}
                    person={p}
                    etag={etag}
                    all
                    onSaved={(now) =>
                      now.name !== person && void navigate(`/team/people/${now.name}`, { replace: true })
                    }
                  />
                  {!mine && <Access person={p} />}
                </section>
                {p.state !== "disabled" && <LinkFor person={p} />}
                <SignedInPlaces person={p.name} />
                <Passkeys person={p.name} own={false} />
                <Linked person={p.name} own={false} />
                <Tokens person={p.name} own={false} />
              </>
            )}
          </>
        )}
      </Answered>
    </Around>
  );
}

/** The reviews that are somebody's to do. */
function InHand({ person }: { person: string }) {
  const reviews = useReviews(openStates);
  return (
    <section className="mt-6 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Reviews in progress</h2>
      <Answered of={[reviews]} what="reviews" none={null}>
        {(all) => {
          const theirs = all.filter((r) => r.assigned === person);
          return theirs.length === 0 ? (
            <p className="py-2 text-soft">None.</p>
          ) : (
            <ul>
              {theirs.map((r) => (
                <li key={r.id} className="border-b border-rule py-1">
                  <Link className="font-medium hover:underline" to={`/desk/${r.id}`}>
                    <EditionLabel name={r.name} />
                  </Link>{" "}
                  <span className="text-[13px] text-soft">
                    {r.state.replace("-", " ")}
                    {r.due && ` · due ${day(r.due)}`}
                  </span>
                </li>
              ))}
            </ul>
          );
        }}
      </Answered>
    </section>
  );
}

/** Keeps somebody from signing in, or lets them again. */
function Access({ person }: { person: Person }) {
  const queries = useQueryClient();
  const [asked, setAsked] = useState(false);
  const set = useMutation({
    mutationFn: (disabled: boolean) =>
      take(api.PUT("/people/{person}/disabled", { params: { path: { person: person.name } }, body: { disabled } })),
    onSettled: () => outdated(queries, "people", "signedIn", "tokens"),
  });
  const off = person.state === "disabled";
  return (
    <p className="mt-3">
      <button
        type="button"
        className="act"
        disabled={set.isPending}
        onClick={() => (off ? set.mutate(false) : setAsked(true))}
      >
        {off ? "Enable the account" : "Disable the account"}
      </button>
      <Refused error={set.error} className="mt-1" />
      <Asked
        open={asked}
        onOpen={setAsked}
        title={`Disable the account of ${person.title}?`}
        act="Disable"
        onYes={() => {
          setAsked(false);
          set.mutate(true);
        }}
      >
        <p>
          They are signed out everywhere at once, and their tokens are revoked. Everything they recorded is kept. When
          the account is enabled again, they have to sign in again.
        </p>
      </Asked>
    </p>
  );
}

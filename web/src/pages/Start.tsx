import { useQuery } from "@tanstack/react-query";
import { Link, Navigate } from "react-router";
import { api, take } from "../api";
import { useVersions } from "../checklists";
import { Answered } from "../components/Answered";
import { Frame } from "../components/Frame";
import { openStates, useReviews, useRigs } from "../lists";
import { sourceKey } from "../keys";
import { useAbout, useMay, useSession } from "../session";

type Step = { done: boolean; title: string; says: string; to: string; act: string; may: boolean };

/** The steps to the first ranking, each with the page that does it. */
export default function StartPage() {
  const may = useMay();
  const signedIn = !!useSession().data?.signedIn;
  const versions = useVersions();
  const rigs = useRigs();
  const editions = useQuery({
    queryKey: sourceKey("editions", "any"),
    queryFn: () => take(api.GET("/editions", { params: { query: { limit: 1 } } })),
  });
  const reviews = useReviews(openStates);
  const standing = useQuery({
    queryKey: sourceKey("reviews", "any accepted"),
    queryFn: () => take(api.GET("/reviews", { params: { query: { limit: 1, state: ["accepted"] } } })),
  });
  const about = useAbout();
  if (about.data?.setUp) return <Navigate to="/set-up" replace />;
  return (
    <Frame title="First steps">
      <h1>The first ranking</h1>
      <p className="mt-1 max-w-prose text-soft">
        Editions are ranked when they have accepted reviews against a checklist in force. These steps lead there.
      </p>
      {!signedIn && (
        <p className="mt-3">
          <Link className="act" to="/sign-in?to=/start">
            Sign in
          </Link>{" "}
          to take these steps.
        </p>
      )}
      <Answered of={[versions, rigs, editions, reviews, standing]} what="the steps" none={null}>
        {(lists, machines, all, begun, stand) => {
          const draft = lists.find((v) => v.state === "draft");
          const inForce = lists.some((v) => v.state === "in-force");
          const accepted = stand.reviews.length > 0;
          const steps: Step[] = [
            {
              done: inForce,
              title: "A checklist in force",
              says: "What is asked of every edition, and how much it counts.",
              ...(draft && !inForce
                ? { to: "/checklist/versions", act: "Put the draft in force" }
                : { to: "/checklist/new", act: "Add a checklist" }),
              may: may("edit-checklist"),
            },
            {
              done: machines.length > 0,
              title: "A test machine",
              says: "Measured times compare only on the same machine.",
              to: "/rigs",
              act: "Add a rig",
              may: may("edit-catalogue"),
            },
            {
              done: all.editions.length > 0,
              title: "An edition to review",
              says: "A distribution, its release, and the edition that you install.",
              to: "/catalogue",
              act: "Add a distribution",
              may: may("edit-catalogue"),
            },
            {
              done: begun.length + stand.reviews.length > 0,
              title: "A review",
              says: "Choose the edition and answer the checklist at the desk.",
              ...(may("record-readings")
                ? { to: "/work", act: "Start a review" }
                : { to: "/team", act: "Plan a review" }),
              may: may("record-readings") || may("plan-reviews"),
            },
            {
              done: accepted,
              title: "An accepted review",
              says: "The reviewer submits the review, and a lead accepts it.",
              to: "/work",
              act: "Submit or accept it",
              may: may("submit-reviews") || may("accept-reviews"),
            },
          ];
          const next = steps.findIndex((s) => !s.done);
          return (
            <>
              <ol className="mt-4 max-w-2xl border-t border-ink">
                {steps.map((s, i) => (
                  <li
                    key={s.title}
                    aria-current={i === next ? "step" : undefined}
                    className={`grid grid-cols-[2rem_1fr_auto] items-baseline gap-x-3 border-b border-rule py-2 ${i === next ? "bg-chosen" : ""}`}
                  >
                    <span className="text-center font-serif font-semibold">{s.done ? "✓" : i + 1}</span>
                    <span>
                      <span className="font-medium">{s.title}</span>
                      {s.done && <span className="sr-only"> (done)</span>}
                      <span className="block text-[13px] text-soft">{s.says}</span>
                    </span>
                    {!s.done && s.may && (
                      <Link className={i === next ? "main-act" : "act"} to={s.to}>
                        {s.act}
                      </Link>
                    )}
                  </li>
                ))}
              </ol>
              {next < 0 && (
                <p className="mt-4">
                  All steps are done.{" "}
                  <Link className="act" to="/">
                    See the ranking
                  </Link>
                </p>
              )}
            </>
          );
        }}
      </Answered>
    </Frame>
  );
}

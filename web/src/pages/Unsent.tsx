import { useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Schemas } from "../api";
import { said } from "../components/Edition";
import { Frame } from "../components/Frame";
import { Empty } from "../components/States";
import { dropDrafts, useDrafts } from "../drafts";
import { openStates, useReviews } from "../lists";
import { sourceKey } from "../keys";
import { useSession } from "../session";
import { remove, useAnswers, type Unsent } from "../unsent/answers";
import { sendAnew } from "../unsent/sender";

const words: Record<Unsent["state"], string> = {
  typing: "being typed",
  sending: "being sent",
  waiting: "waiting for a connection",
  paused: "waiting until you sign in",
  refused: "rejected",
};

/** What this browser holds for a person that the service does not have yet, with the way to each place. */
export default function UnsentPage() {
  const person = useSession().data?.person?.name;
  const queries = useQueryClient();
  const answers = useAnswers().filter((a) => a.person === person);
  const drafts = new Map([...useDrafts().values()].filter((d) => d.person === person).map((d) => [d.address, d]));
  const reviews = useReviews(openStates, !!person);
  const editionOf = (id: string) => {
    const review =
      reviews.data?.find((r) => r.id === id) ??
      queries.getQueryData<{ data: Schemas["Review"] }>(sourceKey("review", id))?.data;
    return review ? said(review.name) : "a review";
  };
  const place = (a: Unsent) =>
    `/desk/${a.review}?${new URLSearchParams({ section: a.section, rig: a.place.rig, criterion: a.place.criterion, ...a.place.context })}`;
  return (
    <Frame title="Not sent yet">
      <h1>Not sent yet</h1>
      {!person ? (
        <Empty>
          <Link className="act" to="/sign-in?to=/unsent">
            Sign in
          </Link>{" "}
          to see what this browser has not sent yet.
        </Empty>
      ) : !answers.length && !drafts.size ? (
        <Empty>Nothing is waiting: everything that you typed in this browser has been sent.</Empty>
      ) : (
        <>
          <p className="mt-1 mb-4 max-w-prose text-soft">
            This browser saves these answers until they are sent. They are sent automatically as soon as possible,
            whatever page is open.
          </p>
          {answers.length > 0 && (
            <table className="ledger">
              <caption className="sr-only">Unsent answers</caption>
              <thead>
                <tr>
                  <th scope="col">Answer</th>
                  <th scope="col" className="max-md:hidden">
                    Review
                  </th>
                  <th scope="col">State</th>
                  <th scope="col">
                    <span className="sr-only">Actions</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {answers.map((a) => (
                  <tr key={a.key}>
                    <th scope="row" className="margin">
                      <Link className="act" to={place(a)}>
                        {a.title}
                      </Link>
                      {a.place.rig && <span className="ml-2 text-soft">on {a.place.rig}</span>}
                    </th>
                    <td dir="auto" className="max-md:hidden">
                      {editionOf(a.review)}
                    </td>
                    <td>
                      {words[a.state]}
                      {a.fault && a.state !== "sending" && (
                        <span className="block text-[13px] text-soft">{a.fault.message}</span>
                      )}
                    </td>
                    <td className="num max-md:whitespace-normal">
                      {a.state === "refused" && (
                        <button type="button" className="act mr-4" onClick={() => void sendAnew(a.key, queries)}>
                          Send again
                        </button>
                      )}
                      <button type="button" className="act" onClick={() => remove(a.key)}>
                        Delete
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          {drafts.size > 0 && (
            <>
              <h2 className="mt-8 mb-2">Drafts</h2>
              <ul className="border-t border-rule">
                {[...drafts.values()].map((d) => (
                  <li key={d.address} className="flex flex-wrap items-baseline gap-x-6 border-b border-rule py-1.5">
                    <Link className="act" to={d.address}>
                      {d.title}
                    </Link>
                    <button type="button" className="act ml-auto" onClick={() => dropDrafts(person, d.address)}>
                      Delete
                    </button>
                  </li>
                ))}
              </ul>
            </>
          )}
        </>
      )}
    </Frame>
  );
}

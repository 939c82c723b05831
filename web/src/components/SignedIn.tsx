import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { createPortal } from "react-dom";
import { Link, useNavigate } from "react-router";
import { api, take } from "../api";
import { prefetchDesk } from "../chunks";
import { loadDrafts } from "../drafts";
import { remember } from "../known";
import type { Session } from "../session";
import { useSigning } from "../signing";
import { useAnswers } from "../unsent/answers";
import { startSending } from "../unsent/sender";
import { Leaving } from "./Leaving";
import { Removals } from "./Removals";
import { SignInAgain } from "./SignInAgain";

/** What goes on behind every page for somebody who has signed in, and what the head says to them. */
export default function SignedIn({
  person,
  head,
}: {
  person: NonNullable<Session["person"]>;
  head: HTMLElement | null;
}) {
  const queries = useQueryClient();
  const { name } = person;
  useEffect(() => {
    prefetchDesk();
    void loadDrafts();
    const ends = [startSending(name, queries), remember(name, queries)];
    return () => ends.forEach((end) => end());
  }, [name, queries]);
  const { signedOut } = useSigning();
  const navigate = useNavigate();
  const leave = async () => {
    await take(api.DELETE("/session"));
    signedOut();
    void navigate("/");
  };
  return (
    <>
      {head &&
        createPortal(
          <>
            <NotSent person={name} />
            <span>
              {person.title.split(" ")[0]} <Leaving person={name} leave={leave} />
            </span>
          </>,
          head,
        )}
      <Removals />
      <SignInAgain />
    </>
  );
}

/** How many answers the service does not have, where that is not only because they are being typed. */
function NotSent({ person }: { person: string }) {
  const count = useAnswers().filter((a) => a.person === person && a.state !== "typing" && a.state !== "sending").length;
  if (!count) return null;
  return (
    <Link to="/unsent" className="underline underline-offset-2" style={{ color: "var(--head-accent)" }}>
      {count} not sent
    </Link>
  );
}

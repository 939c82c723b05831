import { Bell } from "lucide-react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { createPortal } from "react-dom";
import { Link, useNavigate } from "react-router";
import { api, take } from "../api";
import { prefetchDesk } from "../chunks";
import { loadDrafts } from "../drafts";
import { remember } from "../known";
import { useChanges } from "../live";
import type { Session } from "../session";
import { useConflicts, useNotices } from "../notices";
import { useSigning } from "../signing";
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
  useChanges(true);
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
            <Waiting person={name} />
            <span>
              <Link className="hover:underline" to="/account" title="My account">
                {person.title.split(" ")[0]}
              </Link>{" "}
              <Leaving person={name} leave={leave} />
            </span>
          </>,
          head,
        )}
      <Removals />
      <SignInAgain />
    </>
  );
}

/** How many things wait for somebody: notices of the service, and what this browser could not send. */
function Waiting({ person }: { person: string }) {
  const unsent = useConflicts(person).length;
  const notices = useNotices().data?.length ?? 0;
  return (
    <>
      {unsent > 0 && (
        <Link to="/unsent" className="underline underline-offset-2" style={{ color: "var(--head-accent)" }}>
          {unsent} not sent
        </Link>
      )}
      <Link
        to="/notices"
        className="flex items-center gap-1 underline-offset-2 hover:underline"
        aria-label={notices === 1 ? "One notice" : `${notices} notices`}
      >
        <Bell size={15} aria-hidden="true" />
        {notices > 0 && <span style={{ color: "var(--head-accent)" }}>{notices}</span>}
      </Link>
    </>
  );
}

import { AlertDialog } from "radix-ui";
import { useState } from "react";
import { Link } from "react-router";
import { draftsOf, dropDrafts } from "../drafts";
import { forget } from "../known";
import { Refused } from "./States";
import { answersOf, remove } from "../unsent/answers";

/** Signing out: what is typed and not sent goes from this browser, after asking. */
export function Leaving({ person, leave }: { person: string; leave: () => Promise<void> }) {
  const [left, setLeft] = useState({ answers: 0, drafts: 0 });
  const [open, setOpen] = useState(false);
  const [error, setError] = useState<Error>();
  const press = () => {
    const now = { answers: answersOf(person).length, drafts: draftsOf(person).length };
    setLeft(now);
    setError(undefined);
    if (now.answers + now.drafts) setOpen(true);
    else void go();
  };
  const go = async () => {
    try {
      await leave();
    } catch (failed) {
      setError(failed as Error);
      setOpen(true);
      return;
    }
    for (const a of answersOf(person)) remove(a.key);
    dropDrafts(person);
    await forget(person);
  };
  const parts = [
    left.answers && (left.answers === 1 ? "one answer" : `${left.answers} answers`),
    left.drafts && (left.drafts === 1 ? "one draft" : `${left.drafts} drafts`),
  ].filter(Boolean);
  return (
    <>
      <button
        type="button"
        onClick={press}
        className="ml-2 underline underline-offset-2"
        style={{ color: "var(--head-ink)" }}
      >
        Sign out
      </button>
      <AlertDialog.Root open={open} onOpenChange={setOpen}>
        <AlertDialog.Portal>
          <AlertDialog.Overlay className="fixed inset-0 z-20 bg-ink/40" />
          <AlertDialog.Content className="fixed top-[18vh] left-1/2 z-30 w-[min(92vw,460px)] -translate-x-1/2 border border-ink border-l-accent bg-paper p-6 text-ink">
            <AlertDialog.Title>
              {parts.length ? `Sign out and delete ${parts.join(" and ")}?` : "Sign out?"}
            </AlertDialog.Title>
            <AlertDialog.Description className="my-3">
              {parts.length
                ? "They are not saved yet and exist only in this browser. Signing out deletes them."
                : "Signing out ends the session in this browser."}
            </AlertDialog.Description>
            <Refused error={error} className="mb-3" />
            <span className="flex flex-wrap gap-6">
              <AlertDialog.Action className="main-act" onClick={() => void go()}>
                {parts.length ? "Delete and sign out" : "Sign out"}
              </AlertDialog.Action>
              <AlertDialog.Cancel className="act">Stay signed in</AlertDialog.Cancel>
              {parts.length > 0 && (
                <AlertDialog.Cancel asChild>
                  <Link className="act" to="/unsent">
                    Show unsent answers
                  </Link>
                </AlertDialog.Cancel>
              )}
            </span>
          </AlertDialog.Content>
        </AlertDialog.Portal>
      </AlertDialog.Root>
    </>
  );
}

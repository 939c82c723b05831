import { AlertDialog } from "radix-ui";
import { useState } from "react";
import { unsent } from "../pages/desk/kept";

/** Signing out, with a warning where something was typed and is not recorded yet. */
export function Leaving({ person, leave }: { person: string; leave: () => Promise<void> }) {
  const [open, setOpen] = useState(false);
  const [count, setCount] = useState(0);
  const press = () => {
    const waiting = unsent(person);
    setCount(waiting);
    if (waiting) setOpen(true);
    else void leave();
  };
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
              {count === 1 ? "One answer is not recorded yet" : `${count} answers are not recorded yet`}
            </AlertDialog.Title>
            <AlertDialog.Description className="my-3">
              They stay in this browser, for you alone, and are sent when you sign in again and open the review.
            </AlertDialog.Description>
            <span className="flex gap-6">
              <AlertDialog.Action className="main-act" onClick={() => void leave()}>
                Sign out
              </AlertDialog.Action>
              <AlertDialog.Cancel className="act">Stay</AlertDialog.Cancel>
            </span>
          </AlertDialog.Content>
        </AlertDialog.Portal>
      </AlertDialog.Root>
    </>
  );
}

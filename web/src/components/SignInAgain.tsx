import { useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useLocation } from "react-router";
import { sourceKey } from "../keys";
import { setEnded, useEnded, useSession, type Session } from "../session";
import { SignInForm } from "./SignInForm";

/** Over any page whose session has ended: signing in again leads back to the same place, with what was typed. */
export function SignInAgain() {
  const ended = useEnded();
  const person = useSession().data?.person;
  const queries = useQueryClient();
  const { pathname } = useLocation();
  const open = ended && pathname !== "/sign-in";
  const leave = () => {
    queries.clear();
    queries.setQueryData<Session>(sourceKey("session"), { signedIn: false, may: [] });
    setEnded(false);
  };
  return (
    <Dialog.Root open={open} onOpenChange={(on) => !on && leave()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/40" />
        <Dialog.Content
          className="fixed top-[14vh] left-1/2 z-30 w-[min(92vw,420px)] -translate-x-1/2 border border-ink border-l-accent bg-paper p-6 text-ink"
          onKeyDown={(e) => e.stopPropagation()}
          onInteractOutside={(e) => e.preventDefault()}
        >
          <Dialog.Title>Sign in again</Dialog.Title>
          <Dialog.Description className="my-3">
            Your session has ended. What you typed is kept and is sent when you are signed in.
          </Dialog.Description>
          <SignInForm key={person?.name} name={person?.name} onDone={() => setEnded(false)} />
          <Dialog.Close className="act mt-4">Go on as a reader</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

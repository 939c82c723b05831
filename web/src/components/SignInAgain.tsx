import { useQueryClient } from "@tanstack/react-query";
import { Close, Sheet } from "./Sheet";
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
    <Sheet
      open={open}
      onOpen={(on) => !on && leave()}
      title="Sign in again"
      says="Your session has ended. What you typed is saved, and is sent when you sign in again."
      wide={420}
      stays
    >
      <SignInForm key={person?.name} name={person?.name} onDone={() => setEnded(false)} />
      <Close className="act mt-4">Continue as a reader</Close>
    </Sheet>
  );
}

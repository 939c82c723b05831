import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, take, type Schemas } from "../api";
import { answerPasskey, hasPasskeys } from "../passkeys";
import { TextField } from "./Fields";
import { Refused } from "./States";

type Session = Schemas["Session"];

/** Signs in with only a passkey, if the browser has passkeys. */
export function ByPasskey({ onEntered }: { onEntered: (session: Session) => void }) {
  const enter = useMutation({
    mutationFn: async () => {
      const asked = await take(api.POST("/session/passkey/options"));
      const credential = await answerPasskey(asked.options);
      return take(api.POST("/session/passkey", { body: { ceremony: asked.ceremony, credential } }));
    },
    onSuccess: onEntered,
  });
  if (!hasPasskeys()) return null;
  return (
    <>
      <button type="button" className="act ml-6" disabled={enter.isPending} onClick={() => enter.mutate()}>
        Sign in with a passkey
      </button>
      <Refused error={enter.error} className="mt-4" />
    </>
  );
}

/** The step after the password: a passkey, or a recovery code. */
export function SecondStep({
  asked,
  onEntered,
  onAgain,
}: {
  asked: Schemas["SecondAsked"];
  onEntered: (session: Session) => void;
  onAgain: () => void;
}) {
  const [code, setCode] = useState("");
  const enter = useMutation({
    mutationFn: async (recovery: string) =>
      take(
        api.POST("/session/second", {
          body: recovery
            ? { pending: asked.pending, code: recovery }
            : { pending: asked.pending, credential: await answerPasskey(asked.options!) },
        }),
      ),
    onSuccess: onEntered,
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    enter.mutate(code.trim());
  };
  const can = asked.options && hasPasskeys();
  return (
    <div>
      <p className="mb-4">The password is correct. One more step is needed.</p>
      {can && (
        <p className="mb-5">
          <button type="button" className="main-act" disabled={enter.isPending} onClick={() => enter.mutate("")}>
            Use a passkey
          </button>
        </p>
      )}
      {asked.recovery && (
        <form onSubmit={submit} className="flex items-end gap-4">
          <div className="w-48">
            <TextField label="Recovery code" value={code} onChange={setCode} />
          </div>
          <button type="submit" className={can ? "act" : "main-act"} disabled={enter.isPending || !code.trim()}>
            Use the code
          </button>
        </form>
      )}
      {!can && !asked.recovery && (
        <p className="text-soft">
          Your passkeys do not work at this address. Ask an administrator to remove them; then you can add new ones.
        </p>
      )}
      <Refused error={enter.error} className="mt-4" />
      <p className="mt-4 text-[13px]">
        <button type="button" className="act" onClick={onAgain}>
          Start again
        </button>
      </p>
    </div>
  );
}

import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useNavigate } from "react-router";
import { api, take, type Schemas } from "../api";
import { useSigning } from "../signing";
import { ByPasskey, SecondStep } from "./Passkeys";
import { PasswordField } from "./PasswordField";
import { Refused } from "./States";

/** Name and password; name is given where it is known who signs in again. */
export function SignInForm({ name: given, onDone }: { name?: string; onDone: () => void }) {
  const { signedIn } = useSigning();
  const navigate = useNavigate();
  const [name, setName] = useState(given ?? "");
  const [password, setPassword] = useState("");
  const [second, setSecond] = useState<Schemas["SecondAsked"]>();
  const entered = (session: Schemas["Session"]) => {
    setSecond(session.second);
    if (session.second) return;
    signedIn(session);
    if (session.enrols) void navigate("/account");
    else onDone();
  };
  const enter = useMutation({
    mutationFn: () => take(api.POST("/session", { body: { name, password } })),
    onSuccess: entered,
  });
  if (second) return <SecondStep asked={second} onEntered={entered} onAgain={() => setSecond(undefined)} />;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    enter.mutate();
  };
  return (
    <form onSubmit={submit}>
      <label className="mb-4 block">
        <span className="block text-[13px] text-soft">Name</span>
        <input
          className="field w-full"
          name="name"
          autoComplete="username"
          autoCapitalize="none"
          required
          autoFocus={!given}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <PasswordField
        className="mb-5 block"
        label="Password"
        value={password}
        onChange={setPassword}
        autoFocus={!!given}
      />
      <button type="submit" className="main-act" disabled={enter.isPending}>
        Sign in
      </button>
      <ByPasskey onEntered={entered} />
      <Refused error={enter.error} className="mt-4" />
    </form>
  );
}

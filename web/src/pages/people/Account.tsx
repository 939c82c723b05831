import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { api, take, takeWhole } from "../../api";
import { Answered } from "../../components/Answered";
import { Frame } from "../../components/Frame";
import { NewPassword } from "../../components/NewPassword";
import { Empty, Loading, Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { useSession } from "../../session";
import { useStrength } from "../../strength";
import { Details } from "./Details";
import { Linked } from "./Linked";
import { Passkeys } from "./Passkeys";
import { SignedInPlaces } from "./SignedInPlaces";
import { PasswordField } from "../../components/PasswordField";
import { Tokens } from "./Tokens";

/** One's own account. */
export default function AccountPage() {
  const session = useSession();
  const name = session.data?.person?.name;
  return (
    <Frame title="My account">
      <h1>My account</h1>
      {session.isPending ? (
        <Loading what="your account" />
      ) : !name ? (
        <Empty>
          <Link className="act" to="/sign-in?to=/account">
            Sign in
          </Link>{" "}
          to see your account.
        </Empty>
      ) : (
        <Mine name={name} />
      )}
    </Frame>
  );
}

function Mine({ name }: { name: string }) {
  const session = useSession();
  const one = useQuery({
    queryKey: sourceKey("people", name),
    queryFn: () => takeWhole(api.GET("/people/{person}", { params: { path: { person: name } } })),
  });
  return (
    <Answered of={[one]} what="your account" none={null}>
      {({ data: p, etag }) => (
        <>
          <p className="text-[13px] text-soft">
            You sign in as {p.name}. Your {p.roles.length === 1 ? "role" : "roles"}: {p.roles.join(", ") || "none"}.
            Your notices and mail settings are under{" "}
            <Link className="act" to="/notices">
              Notices
            </Link>
            .
          </p>
          {session.data?.enrols && (
            <p role="status" className="mt-3 border-l-2 border-accent pl-3">
              Your roles require a second step to sign in: add a passkey. Until then you can only read.
            </p>
          )}
          <Details key={etag} person={p} etag={etag} all={false} />
          <Password names={[p.name, p.title]} />
          <Passkeys person={name} own />
          <Linked person={name} own />
          <SignedInPlaces person={name} />
          <Tokens person={name} own />
        </>
      )}
    </Answered>
  );
}

function Password({ names }: { names: string[] }) {
  const queries = useQueryClient();
  const [before, setBefore] = useState("");
  const [password, setPassword] = useState("");
  const strength = useStrength(password, names);
  const change = useMutation({
    mutationFn: () => take(api.PUT("/session/password", { body: { before, password } })),
    onSuccess: () => {
      setBefore("");
      setPassword("");
      void outdated(queries, "signedIn");
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    change.mutate();
  };
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Password</h2>
      <form onSubmit={submit} className="mt-2 grid gap-3 md:grid-cols-2">
        <PasswordField label="Current password" value={before} onChange={setBefore} />
        <NewPassword value={password} strength={strength} onChange={setPassword} />
        <button
          type="submit"
          className="main-act justify-self-start"
          disabled={change.isPending || !before || !strength.good}
        >
          Change the password
        </button>
        <Refused error={change.error} className="col-span-full" />
        {change.isSuccess && !before && (
          <p role="status" className="col-span-full text-soft">
            Changed. All other browsers are signed out.
          </p>
        )}
      </form>
    </section>
  );
}

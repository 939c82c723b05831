import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Refusal, api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { TextField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { day, moment } from "../../numbers";
import { PasswordField } from "../../components/PasswordField";
import { hasPasskeys, makePasskey } from "../../passkeys";

/** Somebody's passkeys; one's own can be added here. */
export function Passkeys({ person, own }: { person: string; own: boolean }) {
  const queries = useQueryClient();
  const list = useQuery({
    queryKey: sourceKey("passkeys", person),
    queryFn: () => take(api.GET("/people/{person}/passkeys", { params: { path: { person } } })),
  });
  const changed = () => outdated(queries, "passkeys", "session");
  const drop = useMutation({
    mutationFn: (id: string) =>
      take(api.DELETE("/people/{person}/passkeys/{id}", { params: { path: { person, id } } })),
    onSuccess: changed,
  });
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Passkeys</h2>
      <p className="text-[13px] text-soft">
        A passkey signs you in without a password, or as a second step after it. It never leaves your device or password
        manager.
      </p>
      <Answered of={[list]} what="passkeys" none={null}>
        {(l) => (
          <>
            {l.passkeys.length === 0 ? (
              <p className="py-2 text-soft">None.{own && l.required && " Your roles require one."}</p>
            ) : (
              <ul>
                {l.passkeys.map((k) => (
                  <li key={k.id} className="flex items-baseline justify-between gap-x-6 border-b border-rule py-1">
                    <span>
                      {k.label}
                      <span className="block text-[13px] text-soft">
                        {k.used ? `used ${moment(k.used)}` : "never used"} · added {day(k.created)}
                      </span>
                    </span>
                    <button
                      type="button"
                      className="act"
                      aria-label={`Remove the passkey ${k.label}`}
                      disabled={drop.isPending}
                      onClick={() => drop.mutate(k.id)}
                    >
                      Remove
                    </button>
                  </li>
                ))}
              </ul>
            )}
            <Unproved error={drop.error} />
            {own && <Add first={l.passkeys.length === 0} onAdded={changed} />}
            {own && l.passkeys.length > 0 && <Second list={l} onChanged={changed} />}
          </>
        )}
      </Answered>
    </section>
  );
}

/** What was refused; where that is for want of a password, it asks for it. */
function Unproved({ error }: { error: Error | null }) {
  const [password, setPassword] = useState("");
  const prove = useMutation({
    mutationFn: () => take(api.POST("/session/proof", { body: { password } })),
    onSuccess: () => setPassword(""),
  });
  if (!(error instanceof Refusal) || error.problem.type !== "/problems/unproved")
    return <Refused error={error} className="mt-2" />;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    prove.mutate();
  };
  return (
    <form onSubmit={submit} className="mt-2 flex items-end gap-4">
      <PasswordField
        className="w-64"
        label="Enter your password again, or sign in again with a passkey"
        value={password}
        onChange={setPassword}
      />
      <button type="submit" className="act" disabled={!password || prove.isPending}>
        Confirm
      </button>
      {prove.isSuccess && <span role="status">Now do it again.</span>}
      <Refused error={prove.error} />
    </form>
  );
}

function Codes({ codes }: { codes: string[] }) {
  return (
    <div role="status" className="mt-3">
      <p>Save these recovery codes where only you can find them. Each works once, instead of a passkey:</p>
      <ul className="mt-1 grid max-w-xs grid-cols-2 bg-chosen px-2 py-1 font-mono">
        {codes.map((c) => (
          <li key={c}>{c}</li>
        ))}
      </ul>
    </div>
  );
}

function Add({ first, onAdded }: { first: boolean; onAdded: () => Promise<void> }) {
  const [label, setLabel] = useState("");
  const add = useMutation({
    mutationFn: async () => {
      const asked = await take(api.POST("/me/passkeys/options"));
      const credential = await makePasskey(asked.options);
      return take(api.POST("/me/passkeys", { body: { ceremony: asked.ceremony, label, credential } }));
    },
    onSuccess: () => {
      setLabel("");
      void onAdded();
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  if (!hasPasskeys())
    return (
      <p className="mt-2 text-[13px] text-soft">
        This browser does not support passkeys, or the address of the service is a number instead of a name.
      </p>
    );
  return (
    <>
      <form onSubmit={submit} className="mt-3 flex items-end gap-4">
        <div className="w-72">
          <TextField label="Name of the passkey" hint="such as phone" value={label} onChange={setLabel} />
        </div>
        <button type="submit" className={first ? "main-act" : "act"} disabled={add.isPending || !label.trim()}>
          Add a passkey
        </button>
      </form>
      <Unproved error={add.error} />
      {add.data?.recoveryCodes && <Codes codes={add.data.recoveryCodes} />}
    </>
  );
}

function Second({ list: l, onChanged }: { list: Schemas["PasskeyList"]; onChanged: () => Promise<void> }) {
  const want = useMutation({
    mutationFn: (wanted: boolean) => take(api.PUT("/me/second-step", { body: { wanted } })),
    onSuccess: onChanged,
  });
  const codes = useMutation({ mutationFn: () => take(api.POST("/me/recovery-codes")), onSuccess: onChanged });
  return (
    <div className="mt-4">
      <label className="flex items-baseline gap-2">
        <input
          type="checkbox"
          className="accent-(--accent)"
          checked={l.secondStep || l.required}
          disabled={l.required || want.isPending}
          onChange={(e) => want.mutate(e.target.checked)}
        />
        <span>
          Ask for a passkey after the password
          {l.required && <span className="text-soft"> – required for your roles</span>}
        </span>
      </label>
      <Unproved error={want.error} />
      <p className="mt-2 text-[13px] text-soft">
        {l.recoveryCodes} recovery {l.recoveryCodes === 1 ? "code" : "codes"} left.{" "}
        <button type="button" className="act ml-2" disabled={codes.isPending} onClick={() => codes.mutate()}>
          Create new codes
        </button>
      </p>
      <Unproved error={codes.error} />
      {codes.data && <Codes codes={codes.data.codes} />}
    </div>
  );
}

import { useMutation } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useLocation } from "react-router";
import { api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { Copied } from "../../components/Copied";
import { TextField } from "../../components/Fields";
import { Frame } from "../../components/Frame";
import { NewPassword } from "../../components/NewPassword";
import { Empty, Refused } from "../../components/States";
import { moment } from "../../numbers";
import { useAboutNow } from "../../setup";
import { useSigning } from "../../signing";
import { keyOf } from "../../slug";
import { useStrength } from "../../strength";
import { RoleBoxes } from "./RoleBoxes";

type Role = Schemas["Role"];
type Somebody = { id: number; title: string; name?: string; roles: Role[] };

const nameOf = (p: { title: string; name?: string }) => p.name ?? keyOf(p.title);

/** Where a service that nobody can sign in to is set up, once. */
export default function SetUpPage() {
  const about = useAboutNow();
  const [begun, setBegun] = useState<Schemas["Begun"]>();
  return (
    <Frame title="Set up the service">
      {begun ? (
        <Next begun={begun} />
      ) : (
        <>
          <h1>Set up the service</h1>
          <Answered of={[about]} what="the service" none={null}>
            {(a) =>
              a.setUp ? (
                <Begin onBegun={setBegun} />
              ) : (
                <Empty>
                  This service is already set up.{" "}
                  <Link className="act" to="/sign-in">
                    Sign in
                  </Link>
                </Empty>
              )
            }
          </Answered>
        </>
      )}
    </Frame>
  );
}

function Begin({ onBegun }: { onBegun: (begun: Schemas["Begun"]) => void }) {
  const { signedIn } = useSigning();
  const [code, setCode] = useState(decodeURIComponent(useLocation().hash.slice(1)));
  const [team, setTeam] = useState("");
  const [own, setOwn] = useState<Somebody>({ id: 0, title: "", roles: ["lead", "administrator"] });
  const [password, setPassword] = useState("");
  const [others, setOthers] = useState<Somebody[]>([]);
  const strength = useStrength(password, [nameOf(own), own.title]);
  const begin = useMutation({
    mutationFn: () =>
      take(
        api.POST("/set-up", {
          body: {
            code,
            team,
            name: nameOf(own),
            title: own.title,
            roles: own.roles,
            password,
            people: others.map((p) => ({ name: nameOf(p), title: p.title, roles: p.roles })),
          },
        }),
      ),
    onSuccess: (begun) => {
      signedIn(begun.session);
      onBegun(begun);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    begin.mutate();
  };
  const change = (changed: Somebody) => setOthers(others.map((p) => (p.id === changed.id ? changed : p)));
  const whole = [own, ...others].every((p) => p.title.trim() && nameOf(p));
  return (
    <form onSubmit={submit} className="max-w-3xl">
      <p className="max-w-[70ch] text-[13px] text-soft">
        There are no accounts yet. Whoever has the code creates the first one.
      </p>
      <h2 className="mt-6 border-b border-ink pb-1">The service</h2>
      <div className="mt-2 grid gap-3 md:grid-cols-2">
        <TextField label="Code" hint="shown in the log of the service when it starts" value={code} onChange={setCode} />
        <TextField label="Name of the team" hint="shown to readers" value={team} onChange={setTeam} />
      </div>
      <h2 className="mt-6 border-b border-ink pb-1">You</h2>
      <div className="mt-2 grid gap-3 md:grid-cols-2">
        <Names somebody={own} onChange={setOwn} />
        <div className="md:max-w-md">
          <NewPassword label="Password" value={password} strength={strength} onChange={setPassword} />
        </div>
        <div>
          <RoleBoxes
            legend="Roles besides administrator"
            of={["reviewer", "lead"]}
            value={own.roles}
            onChange={(roles) => setOwn({ ...own, roles })}
          />
        </div>
      </div>
      <h2 className="mt-6 border-b border-ink pb-1">Other people</h2>
      <p className="text-[13px] text-soft">
        Each of them chooses a password with a link that you pass on. You can also add them later.
      </p>
      {others.map((p) => (
        <fieldset key={p.id} className="mt-2 grid gap-3 border-b border-rule pb-3 md:grid-cols-2">
          <legend className="sr-only">{p.title || "Another person"}</legend>
          <Names somebody={p} onChange={change} />
          <div className="col-span-full flex flex-wrap items-end justify-between gap-x-6">
            <RoleBoxes legend="Roles" value={p.roles} onChange={(roles) => change({ ...p, roles })} />
            <button type="button" className="act" onClick={() => setOthers(others.filter((o) => o.id !== p.id))}>
              Remove
            </button>
          </div>
        </fieldset>
      ))}
      <button
        type="button"
        className="act mt-2"
        onClick={() =>
          setOthers([...others, { id: Math.max(0, ...others.map((p) => p.id)) + 1, title: "", roles: ["reviewer"] }])
        }
      >
        Add a person
      </button>
      <p className="mt-6">
        <button
          type="submit"
          className="main-act"
          disabled={begin.isPending || !code.trim() || !team.trim() || !whole || !strength.good}
        >
          Set up and sign in
        </button>
      </p>
      <Refused error={begin.error} className="mt-3" />
    </form>
  );
}

function Names({ somebody: p, onChange }: { somebody: Somebody; onChange: (p: Somebody) => void }) {
  return (
    <>
      <TextField
        label="Display name"
        hint="shown to others"
        value={p.title}
        onChange={(title) => onChange({ ...p, title })}
      />
      <TextField
        label="Signs in as"
        hint="lower-case letters, digits and hyphens"
        value={nameOf(p)}
        onChange={(name) => onChange({ ...p, name })}
      />
    </>
  );
}

function Next({ begun }: { begun: Schemas["Begun"] }) {
  return (
    <>
      <h1>The service is set up</h1>
      <p>You are signed in as {begun.session.person?.title}.</p>
      {begun.links.length > 0 && (
        <section className="mt-6 max-w-3xl">
          <h2 className="border-b border-ink pb-1">Links for the others</h2>
          <p className="text-[13px] text-soft">
            Give each link only to its person. It is shown only once, works once, and expires on {moment(begun.expires)}
            .
          </p>
          <ul>
            {begun.links.map((l) => (
              <li key={l.name} className="border-b border-rule py-2">
                <b>{l.name}</b>
                <br />
                <Copied text={l.address} />
              </li>
            ))}
          </ul>
        </section>
      )}
      <p className="mt-6">
        <Link className="main-act" to="/start">
          First steps to a ranking
        </Link>
      </p>
    </>
  );
}

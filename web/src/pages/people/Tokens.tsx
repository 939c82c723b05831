import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Refusal, api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { NumberField, TextField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { useDraft } from "../../drafts";
import { outdated, sourceKey } from "../../keys";
import { day, moment } from "../../numbers";
import { useSession } from "../../session";
import { PasswordField } from "../../components/PasswordField";
import { RoleBoxes } from "./RoleBoxes";

/** Somebody's personal tokens; one's own can be made here. */
export function Tokens({ person, own }: { person: string; own: boolean }) {
  const queries = useQueryClient();
  const tokens = useQuery({
    queryKey: sourceKey("tokens", person),
    queryFn: () => take(api.GET("/people/{person}/tokens", { params: { path: { person } } })).then((l) => l.tokens),
  });
  const end = useMutation({
    mutationFn: (id: string) => take(api.DELETE("/people/{person}/tokens/{id}", { params: { path: { person, id } } })),
    onSettled: () => outdated(queries, "tokens"),
  });
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Tokens</h2>
      <p className="text-[13px] text-soft">A token lets a program sign in, such as dtally on a test machine.</p>
      <Answered of={[tokens]} what="tokens" none={null}>
        {(all) =>
          all.length === 0 ? (
            <p className="py-2 text-soft">None.</p>
          ) : (
            <ul>
              {all.map((t) => (
                <li
                  key={t.id}
                  className="flex flex-wrap items-baseline justify-between gap-x-6 border-b border-rule py-1"
                >
                  <span>
                    {t.label}{" "}
                    <span className="text-soft">
                      {t.review
                        ? "can record in one review only"
                        : `as ${t.roles.join(", ") || "nobody in particular"}`}
                    </span>
                    <span className="block text-[13px] text-soft">
                      {t.used ? `used ${moment(t.used)}${t.address ? ` from ${t.address}` : ""}` : "never used"} ·
                      created {day(t.created)} · expires {day(t.expires)}
                    </span>
                  </span>
                  <button
                    type="button"
                    className="act"
                    aria-label={`Revoke the token ${t.label}`}
                    disabled={end.isPending}
                    onClick={() => end.mutate(t.id)}
                  >
                    Revoke
                  </button>
                </li>
              ))}
            </ul>
          )
        }
      </Answered>
      <Refused error={end.error} className="mt-2" />
      {own && <MakeToken />}
    </section>
  );
}

function MakeToken() {
  const queries = useQueryClient();
  const mine = useSession().data?.person?.roles ?? [];
  const [label, setLabel, made] = useDraft("token", "");
  const [roles, setRoles] = useState<Schemas["Role"][]>(mine);
  const [days, setDays] = useState<number | undefined>(90);
  const [password, setPassword] = useState("");
  const make = useMutation({
    mutationFn: async () => {
      if (password) await take(api.POST("/session/proof", { body: { password } }));
      return take(api.POST("/tokens", { body: { label, roles, days: days ?? 90 } }));
    },
    onSuccess: () => {
      made();
      setPassword("");
      void outdated(queries, "tokens");
    },
  });
  const unproved = make.error instanceof Refusal && make.error.problem.type === "/problems/unproved";
  const submit = (e: FormEvent) => {
    e.preventDefault();
    make.mutate();
  };
  return (
    <form onSubmit={submit} className="mt-4 grid gap-3 md:grid-cols-[1fr_7rem]">
      <TextField label="Purpose of the new token" value={label} onChange={setLabel} />
      <NumberField label="Valid for days" hint="1 to 730" value={days} onChange={setDays} />
      <div className="col-span-full">
        <RoleBoxes legend="Roles" of={mine} value={roles} onChange={setRoles} />
      </div>
      {(unproved || password) && (
        <PasswordField
          className="col-span-full max-w-sm"
          label="Enter your password again"
          value={password}
          onChange={setPassword}
          autoFocus
        />
      )}
      <button
        type="submit"
        className="main-act justify-self-start"
        disabled={make.isPending || !label.trim() || roles.length === 0}
      >
        Create a token
      </button>
      <Refused error={unproved && !password ? null : make.error} className="col-span-full" />
      {make.data?.secret && (
        <p role="status" className="col-span-full">
          Shown only once: <code className="bg-chosen px-1 break-all">{make.data.secret}</code>
        </p>
      )}
    </form>
  );
}

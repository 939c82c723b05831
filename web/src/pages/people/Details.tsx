import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import { api, take, type Schemas } from "../../api";
import { TextField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { useDraft } from "../../drafts";
import { outdated } from "../../keys";
import { RoleBoxes } from "./RoleBoxes";

type Person = Schemas["Person"];

/** What an account says: all of it for administrators, the shown name and disclosure for oneself. */
export function Details({
  person,
  etag,
  all,
  onSaved,
}: {
  person: Person;
  etag: string;
  all: boolean;
  onSaved?: (p: Person) => void;
}) {
  const queries = useQueryClient();
  const { name, title, roles, disclosure = "" } = person;
  const [draft, set, saved] = useDraft("details", { name, title, roles, disclosure });
  const save = useMutation({
    mutationFn: () =>
      take(
        api.PUT("/people/{person}", {
          params: { path: { person: name }, header: { "If-Match": etag } },
          body: draft,
        }),
      ),
    onSuccess: async (p) => {
      saved();
      await outdated(queries, "people");
      void outdated(queries, "session");
      onSaved?.(p);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  const same = JSON.stringify(draft) === JSON.stringify({ name, title, roles, disclosure });
  return (
    <form onSubmit={submit} className="mt-2 grid max-w-3xl gap-3 md:grid-cols-2">
      <TextField label="Display name" value={draft.title} onChange={(text) => set({ ...draft, title: text })} />
      {all && <TextField label="Signs in as" value={draft.name} onChange={(text) => set({ ...draft, name: text })} />}
      {all && (
        <div className="col-span-full">
          <RoleBoxes legend="Roles" value={draft.roles} onChange={(r) => set({ ...draft, roles: r })} />
        </div>
      )}
      <div className="col-span-full">
        <TextField
          label="Disclosure"
          hint="interests that readers should know about, such as the system you use daily"
          rows={2}
          value={draft.disclosure}
          onChange={(text) => set({ ...draft, disclosure: text })}
        />
      </div>
      <button type="submit" className="main-act justify-self-start" disabled={save.isPending || same}>
        Save
      </button>
      {save.isSuccess && same && (
        <p role="status" className="self-center text-soft">
          Saved.
        </p>
      )}
      <Refused error={save.error} className="col-span-full" />
    </form>
  );
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useNavigate } from "react-router";
import { api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { TextField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { DataTable } from "../../components/table/DataTable";
import type { Column } from "../../components/table/columns";
import { useDraft } from "../../drafts";
import { outdated } from "../../keys";
import { usePeople } from "../../lists";
import { useMay } from "../../session";
import { keyOf } from "../../slug";
import { Around } from "../team/Around";
import { RoleBoxes } from "./RoleBoxes";
import { SignInRules } from "./SignInRules";
import { stateOf } from "./states";

type Person = Schemas["Person"];

const columns: Column<Person>[] = [
  {
    key: "title",
    title: "Person",
    heads: true,
    value: (p) => p.title,
    cell: (p) => (
      <Link className="font-medium hover:underline" to={`/team/people/${p.name}`}>
        <bdi>{p.title}</bdi>
      </Link>
    ),
  },
  { key: "name", title: "Signs in as", value: (p) => p.name },
  { key: "roles", title: "Roles", value: (p) => p.roles.join(", ") },
  { key: "state", title: "Account", value: (p) => stateOf(p) },
  { key: "disclosure", title: "Disclosure", value: (p) => p.disclosure ?? "" },
];

/** The team's accounts. */
export default function PeoplePage() {
  const people = usePeople();
  const manages = useMay()("manage-people");
  return (
    <Around title="People">
      <h1>People</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        In alphabetical order of their sign-in names.
        {!manages && " An administrator can add people and change their roles."}
      </p>
      <Answered of={[people]} what="people" none={null}>
        {(all) => <DataTable label="People" rows={all} rowKey={(p) => p.name} columns={columns} file="people" />}
      </Answered>
      {manages && <Add />}
      {manages && <SignInRules />}
    </Around>
  );
}

type Draft = { title: string; name?: string; disclosure: string };

function Add() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [draft, set, added] = useDraft<Draft>("person", { title: "", disclosure: "" });
  const [roles, setRoles] = useState<Schemas["Role"][]>(["reviewer"]);
  const name = draft.name ?? keyOf(draft.title);
  const add = useMutation({
    mutationFn: () =>
      take(api.POST("/people", { body: { name, title: draft.title, roles, disclosure: draft.disclosure } })),
    onSuccess: (p) => {
      added();
      void outdated(queries, "people");
      void navigate(`/team/people/${p.name}`);
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    add.mutate();
  };
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Add a person</h2>
      <form onSubmit={submit} className="mt-2 grid gap-3 md:grid-cols-2">
        <TextField
          label="Display name"
          hint="shown to others"
          value={draft.title}
          onChange={(title) => set({ ...draft, title })}
        />
        <TextField
          label="Signs in as"
          hint="lower-case letters, digits and hyphens"
          value={name}
          onChange={(text) => set({ ...draft, name: text })}
        />
        <div className="col-span-full">
          <RoleBoxes legend="Roles" value={roles} onChange={setRoles} />
        </div>
        <div className="col-span-full">
          <TextField
            label="Disclosure"
            hint="optional; interests that readers should know about, such as the system they use daily"
            value={draft.disclosure}
            onChange={(disclosure) => set({ ...draft, disclosure })}
          />
        </div>
        <button
          type="submit"
          className="main-act justify-self-start"
          disabled={add.isPending || !draft.title.trim() || !name}
        >
          Add
        </button>
        <Refused error={add.error} className="col-span-full" />
      </form>
    </section>
  );
}

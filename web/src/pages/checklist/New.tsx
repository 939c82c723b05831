import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useNavigate } from "react-router";
import { api, take } from "../../api";
import { titleOf, type Checklist } from "../../checklist";
import { nameOf, useVersions } from "../../checklists";
import { fetchCode } from "../../chunks";
import { Answered } from "../../components/Answered";
import { TextField } from "../../components/Fields";
import { Empty, Loading, Refused } from "../../components/States";
import { useDraft } from "../../drafts";
import { outdated, sourceKey } from "../../keys";
import { useMay, useSession } from "../../session";
import { Around } from "./Around";
import { keyOf } from "../../slug";

/** A checklist with one section and one criterion, to be written in the editor. */
const blank: Checklist = {
  key: "",
  version: 1,
  title: "",
  state: "draft",
  policy: { rigs: "adjusted" },
  sections: [
    {
      key: "first-section",
      title: "First section",
      weight: 100,
      criteria: [{ key: "first-criterion", title: "First criterion", kind: "grade", weight: 1 }],
    },
  ],
};

/** Adds a team's first checklist: from the starter, from a file, or blank. */
export default function NewChecklistPage() {
  const may = useMay()("edit-checklist");
  const session = useSession();
  const versions = useVersions();
  const starter = useQuery({
    queryKey: sourceKey("starter"),
    staleTime: Infinity,
    queryFn: () => take(api.GET("/starter-checklist")),
  });
  return (
    <Around title="Add a checklist">
      <h1>Add a checklist</h1>
      {session.isPending ? (
        <Loading what="who asks" />
      ) : !may ? (
        <Empty>Only a lead can add a checklist.</Empty>
      ) : (
        <Answered of={[starter, versions]} what="the starter checklist" none={null}>
          {(list, all) => <Add starter={list} taken={all.map((v) => v.key)} />}
        </Answered>
      )}
    </Around>
  );
}

const ways = [
  {
    key: "starter",
    name: "Starter checklist",
    says: "Four sections and 25 criteria of every kind. Change it before you put it in force.",
  },
  { key: "file", name: "From a file", says: "YAML or JSON, as exported by the client." },
  { key: "blank", name: "Blank", says: "One section and one criterion. Write the rest in the editor." },
] as const;

function Add({ starter, taken }: { starter: Checklist; taken: string[] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [way, setWay] = useState<(typeof ways)[number]["key"]>("starter");
  const [title, setTitle, dropTitle] = useDraft("checklist title", "");
  const [file, setFile] = useState<File>();
  const key = keyOf(title);
  const add = useMutation({
    mutationFn: async (state: "draft" | "in-force") => {
      const from = way === "file" ? await fromFile(file!) : way === "blank" ? blank : starter;
      const named = way === "file" ? from : { ...from, key, title };
      return take(api.POST("/checklists", { body: { ...named, state } }));
    },
    onSuccess: async (made) => {
      dropTitle();
      await outdated(queries, "checklists");
      void navigate(made.state === "draft" ? `/checklist/edit/${nameOf(made)}` : "/start");
    },
  });
  const ready = way === "file" ? !!file : !!key && !taken.includes(key);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    if (ready) add.mutate("draft");
  };
  return (
    <form onSubmit={submit} className="mt-3 grid max-w-2xl gap-4">
      <fieldset>
        <legend className="text-[13px] text-soft">Start from</legend>
        {ways.map((w) => (
          <label key={w.key} className="flex gap-2 py-1">
            <input
              type="radio"
              name="way"
              className="accent-(--accent)"
              checked={way === w.key}
              onChange={() => setWay(w.key)}
            />
            <span>
              {w.name} <span className="block text-[13px] text-soft">{w.says}</span>
            </span>
          </label>
        ))}
      </fieldset>
      {way === "file" ? (
        <label>
          <span className="block text-[13px] text-soft">Checklist file</span>
          <input type="file" accept=".yaml,.yml,.json" onChange={(e) => setFile(e.target.files?.[0])} />
        </label>
      ) : (
        <TextField
          label="Title"
          hint={key ? `key: ${key}` : "such as “Workshop checklist”"}
          wrong={taken.includes(key) ? `A checklist with the key ${key} exists already.` : undefined}
          value={title}
          onChange={setTitle}
        />
      )}
      {way === "starter" && <Contents of={starter} />}
      <span className="flex flex-wrap items-baseline gap-6">
        <button type="submit" className="main-act" disabled={!ready || add.isPending}>
          Add as a draft
        </button>
        {way !== "blank" && (
          <button
            type="button"
            className="act"
            disabled={!ready || add.isPending}
            onClick={() => add.mutate("in-force")}
          >
            Add and put in force
          </button>
        )}
      </span>
      <p className="text-[13px] text-soft">
        You can change a draft. A version in force is fixed: reviews can start, and later changes make a new version.
      </p>
      <Refused error={add.error} />
    </form>
  );
}

function Contents({ of }: { of: Checklist }) {
  return (
    <dl className="grid gap-x-6 gap-y-1 border-l border-accent pl-4 text-[13px] md:grid-cols-[9rem_1fr]">
      {of.sections.map((s) => (
        <div key={s.key} className="contents">
          <dt className="font-serif font-semibold">
            {titleOf(s)} <span className="font-sans font-normal text-soft">{s.weight} %</span>
          </dt>
          <dd className="text-soft">{s.criteria.map(titleOf).join(", ")}</dd>
        </div>
      ))}
    </dl>
  );
}

const fromFile = async (file: File) => (await fetchCode(() => import("../../checklistFile"))).readChecklist(file);

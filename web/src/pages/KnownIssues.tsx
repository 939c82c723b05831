import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { api, take, takeWhole, type Schemas } from "../api";
import { SelectField } from "../components/SelectField";
import { EditionLink } from "../components/Edition";
import { Ends } from "../components/Ends";
import { TextField } from "../components/Fields";
import { Empty, Failure, Loading } from "../components/States";
import { Among } from "./team/Around";
import { outdated, sourceKey } from "../keys";
import { useMay } from "../session";
import { useDraft } from "../drafts";
import { failed } from "../failed";

type KnownIssue = Schemas["KnownIssue"];
const origins = ["component", "base", "driver", "desktop", "hardware", "unknown"] as const;

export default function KnownIssuesPage() {
  const all = useQuery({ queryKey: sourceKey("issues", "whole"), queryFn: () => take(api.GET("/known-issues")) });
  const may = useMay();
  const writes = may("write-entries");
  const [editing, setEditing] = useState<string>();
  return (
    <Among title="Known issues">
      <h1>Known issues</h1>
      <p className="mt-1 text-[13px] text-soft">
        Problems that several editions share, with their suspected cause. In alphabetical order (not a ranking).
      </p>
      {all.isPending ? (
        <Loading what="issues" />
      ) : failed(all) ? (
        <Failure error={all.error} again={() => all.refetch()} />
      ) : (
        <>
          {all.data.issues.length === 0 && <Empty>There are no known issues.</Empty>}
          {all.data.issues.map(({ issue: t, cases }) => (
            <section key={t.key} className="mt-5 border-l border-accent pl-4">
              <h2>
                {t.title} {t.settled && <span className="text-[13px] font-normal text-soft">resolved</span>}
              </h2>
              <p className="text-[13px] text-soft">
                {[t.origin && `suspected: ${t.origin}`, t.component, t.text].filter(Boolean).join(" · ")}
              </p>
              {t.workaround && <p>Workaround: {t.workaround}</p>}
              {t.outcome && <p className="text-[13px]">{t.outcome}</p>}
              <ul className="mt-1">
                {cases.map((c) => (
                  <li key={c.finding.id} className="border-b border-rule py-1">
                    <EditionLink edition={c.edition} name={c.name} />{" "}
                    <span className="text-[13px] text-soft">
                      {[c.finding.title, c.finding.severity, c.finding.fate?.replace("-", " ")]
                        .filter(Boolean)
                        .join(" · ")}
                    </span>
                  </li>
                ))}
              </ul>
              {writes &&
                (editing === t.key ? (
                  <Form old={t} onDone={() => setEditing(undefined)} />
                ) : (
                  <button type="button" className="act mt-1" onClick={() => setEditing(t.key)}>
                    Edit
                  </button>
                ))}
            </section>
          ))}
          {writes && (
            <section className="mt-8">
              <h2 className="border-b border-ink pb-1">Add a known issue</h2>
              <Form key={all.data.issues.length} />
            </section>
          )}
        </>
      )}
    </Among>
  );
}

function Form({ old, onDone }: { old?: KnownIssue; onDone?: () => void }) {
  const queries = useQueryClient();
  const [t, setT, saved] = useDraft<KnownIssue>(`known issue ${old?.key ?? ""}`, old ?? { key: "", title: "" });
  const save = useMutation({
    mutationFn: async () => {
      if (!old) return take(api.POST("/known-issues", { body: t }));
      const now = await takeWhole(api.GET("/known-issues/{issue}", { params: { path: { issue: t.key } } }));
      return take(
        api.PUT("/known-issues/{issue}", {
          params: { path: { issue: t.key }, header: { "If-Match": now.etag } },
          body: t,
        }),
      );
    },
    onSuccess: () => {
      saved();
      void outdated(queries, "issues");
      onDone?.();
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  return (
    <form onSubmit={submit} className="mt-2 grid max-w-3xl gap-x-6 gap-y-2 md:grid-cols-2">
      {!old && (
        <TextField label="Key" hint="such as wireless-sleep" value={t.key} onChange={(key) => setT({ ...t, key })} />
      )}
      <TextField label="Title" value={t.title} onChange={(title) => setT({ ...t, title })} />
      <SelectField
        label="Suspected cause"
        value={t.origin ?? ""}
        options={[{ value: "", label: "–" }, ...origins.map((o) => ({ value: o, label: o }))]}
        onChange={(o) => setT({ ...t, origin: o as KnownIssue["origin"] })}
      />
      <TextField label="Which one" value={t.component} onChange={(component) => setT({ ...t, component })} />
      <TextField
        label="Workaround for all cases"
        rows={2}
        value={t.workaround}
        onChange={(workaround) => setT({ ...t, workaround })}
      />
      <TextField label="Outcome" rows={2} value={t.outcome} onChange={(outcome) => setT({ ...t, outcome })} />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-(--accent)"
          checked={!!t.settled}
          onChange={(e) => setT({ ...t, settled: e.target.checked })}
        />{" "}
        Resolved
      </label>
      <Ends
        act={old ? "Save the changes" : "Add"}
        main={!old}
        pending={save.isPending}
        error={save.error}
        onLeave={onDone}
      />
    </form>
  );
}

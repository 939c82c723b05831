import { useMutation, useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import { Link } from "react-router";
import { api, take, takeWhole } from "../../api";
import type { Checklist } from "../../checklist";
import { TextField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { written, type Shares } from "./weights";
import { useDraft } from "../../drafts";
import { keyOf } from "../../slug";

/** A lead keeps weights that were tried out as an audience. */
export function Keep({
  list,
  sections,
  criteria,
}: {
  list: Checklist;
  sections: Shares;
  criteria: Record<string, Shares>;
}) {
  const queries = useQueryClient();
  const [title, setTitle, dropTitle] = useDraft("audience title", "");
  const [reason, setReason, dropReason] = useDraft("audience reason", "");
  const key = keyOf(title);
  const taken = list.audiences?.some((a) => a.key === key);
  const save = useMutation({
    mutationFn: async ({ key, title }: { key: string; title: string }) => {
      const path = { checklist: list.key, version: list.version };
      const { etag } = await takeWhole(api.GET("/checklists/{checklist}/{version}", { params: { path } }));
      const numbers = (shares: Shares) =>
        Object.fromEntries(Object.entries(shares).map(([k, s]) => [k, Number(written(s))]));
      const audience = {
        key,
        title,
        sections: numbers(sections),
        criteria: Object.assign({}, ...Object.values(criteria).map(numbers)) as Record<string, number>,
      };
      return take(
        api.PUT("/checklists/{checklist}/{version}/audiences/{audience}", {
          params: { path: { ...path, audience: key }, header: { "If-Match": etag } },
          body: { audience, reason },
        }),
      );
    },
    onSuccess: () => (dropTitle(), dropReason(), queries.invalidateQueries()),
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate({ key, title });
  };
  return (
    <form onSubmit={submit} className="mt-4">
      <h2>Save these weights as an audience</h2>
      <div className="mt-2 grid gap-3">
        <TextField
          label="Who they are for"
          hint={key && `key: ${key}`}
          value={title}
          onChange={setTitle}
          wrong={taken ? "This audience exists already. Saving adds a revision to it." : undefined}
        />
        <TextField label="Why" value={reason} onChange={setReason} />
      </div>
      <button type="submit" className="main-act mt-3" disabled={!key || save.isPending}>
        Save the audience
      </button>
      {save.isSuccess && (
        <p role="status" className="mt-2">
          Saved.{" "}
          <Link className="act" to={`/?audience=${save.variables.key}`}>
            The ranking for {save.variables.title}
          </Link>
        </p>
      )}
      <Refused error={save.error} className="mt-2" />
    </form>
  );
}

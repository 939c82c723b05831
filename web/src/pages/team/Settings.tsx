import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { FormEvent } from "react";
import { api, take, takeWhole, type Schemas } from "../../api";
import { NumberField, TextField } from "../../components/Fields";
import { Failure, Loading, Refused } from "../../components/States";
import { Around } from "./Around";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";
import { failed } from "../../failed";

export default function RulesPage() {
  return (
    <Around title="Settings">
      <Rules />
    </Around>
  );
}

function Rules() {
  const queries = useQueryClient();
  const lead = useMay()("set-policy");
  const policy = useQuery({ queryKey: sourceKey("policy"), queryFn: () => takeWhole(api.GET("/policy")) });
  const [typed, setTyped, saved] = useDraft<Schemas["Policy"] | undefined>("rules", policy.data?.data);
  const save = useMutation({
    mutationFn: (body: Schemas["Policy"]) =>
      take(api.PUT("/policy", { params: { header: { "If-Match": policy.data!.etag } }, body })),
    onSuccess: async () => {
      await outdated(queries, "policy");
      saved();
    },
    onError: () => outdated(queries, "policy"),
  });
  if (failed(policy)) return <Failure error={policy.error} again={() => policy.refetch()} />;
  if (!typed) return <Loading what="the settings" />;
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate(typed);
  };
  const choice = (value: Schemas["Policy"]["secondReviewer"], title: string, says: string) => (
    <label className="flex items-start gap-2 py-1">
      <input
        type="radio"
        name="second"
        className="mt-1 accent-(--accent)"
        disabled={!lead}
        checked={typed.secondReviewer === value}
        onChange={() => setTyped({ ...typed, secondReviewer: value })}
      />
      <span>
        {title} <span className="block text-[13px] text-soft">{says}</span>
      </span>
    </label>
  );
  return (
    <>
      <h1>Settings</h1>
      <form onSubmit={submit} className="mt-3 max-w-xl">
        <div className="mb-4 w-80">
          <TextField
            label="Name of the team"
            hint="shown to readers"
            value={typed.team ?? ""}
            onChange={(team) => setTyped({ ...typed, team })}
          />
        </div>
        <fieldset>
          <legend className="font-serif font-semibold">Second reviewer</legend>
          {choice("required", "is required", "Nobody can accept a review that only they worked on.")}
          {choice(
            "advised",
            "is advised",
            "Someone can accept a review that only they worked on; readers see: accepted by its only reviewer.",
          )}
        </fieldset>
        <div className="mt-4 w-60">
          <NumberField
            label="Days until a rolling release is due for review again"
            value={typed.retestDays}
            onChange={(n) => setTyped({ ...typed, retestDays: n ?? 0 })}
          />
        </div>
        {lead && (
          <button type="submit" className="main-act mt-4" disabled={save.isPending}>
            Save the settings
          </button>
        )}
        {save.isSuccess && <span role="status"> Saved.</span>}
        <Refused error={save.error} className="mt-2" />
      </form>
    </>
  );
}

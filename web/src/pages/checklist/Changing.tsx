import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api";
import { pathOf, type Summary } from "../../checklists";
import { NumberField } from "../../components/Fields";
import { Refused } from "../../components/States";
import { percent } from "../../numbers";
import { useMay } from "../../session";

/** How far a newer version has come in the place of the one shown, and, for a lead, when it takes that place. */
export function Changing({ shown }: { shown: Summary }) {
  const lead = useMay()("edit-checklist");
  const queries = useQueryClient();
  const change = shown.changeover!;
  const [share, setShare] = useState<number | undefined>(change.share ? Math.round(100 * change.share) : 80);
  const { version } = pathOf(change.newer);
  const save = useMutation({
    mutationFn: (body: { version: number; share: number }) =>
      take(api.PUT("/checklists/{checklist}/shown", { params: { path: { checklist: shown.key } }, body })),
    onSuccess: () => queries.invalidateQueries(),
  });
  const done = change.ranked ? change.moved / change.ranked : 0;
  return (
    <section className="mt-6 max-w-[70ch]">
      <h2 className="border-b border-ink pb-1">
        From {shown.key}@{shown.version} to {change.newer}
      </h2>
      <p className="mt-2">
        {change.moved} of the {change.ranked} editions ranked on {shown.key}@{shown.version} have an accepted review on{" "}
        {change.newer} ({percent(done)}).{" "}
        {change.share > 0
          ? `Readers see ${change.newer} when ${percent(change.share)} have one.`
          : `Readers see ${change.newer} when a lead decides.`}
      </p>
      <div className="relative my-2 h-2 bg-wash" role="img" aria-label={`${percent(done)} of the ranked editions`}>
        <span className="absolute top-0 bottom-0 left-0 block bg-ink" style={{ width: `${100 * done}%` }} />
        {change.share > 0 && (
          <span
            className="absolute -top-1 -bottom-1 block border-l-2 border-accent"
            style={{ left: `${100 * change.share}%` }}
            title={`shown at ${percent(change.share)}`}
          />
        )}
      </div>
      {lead && (
        <form
          className="flex flex-wrap items-end gap-x-6 gap-y-2"
          onSubmit={(e) => {
            e.preventDefault();
            if (share) save.mutate({ version: shown.version, share: share / 100 });
          }}
        >
          <span className="w-[220px]">
            <NumberField label="Show it at this share, in percent" value={share} onChange={setShare} />
          </span>
          <button type="submit" className="act" disabled={save.isPending || !share || share > 100}>
            Save
          </button>
          {change.share > 0 && (
            <button
              type="button"
              className="act"
              disabled={save.isPending}
              onClick={() => save.mutate({ version: shown.version, share: 0 })}
            >
              Decide by hand
            </button>
          )}
          <button
            type="button"
            className="act"
            disabled={save.isPending}
            onClick={() => save.mutate({ version, share: 0 })}
          >
            Show {change.newer} now
          </button>
        </form>
      )}
      <Refused error={save.error} className="mt-2" />
    </section>
  );
}

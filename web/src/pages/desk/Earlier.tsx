import type { Schemas } from "../../api";
import { useWriting } from "./entries";
import { newID } from "../../ids";

const fates = [
  { key: "still-there", title: "still present" },
  { key: "fixed", title: "fixed" },
  { key: "changed", title: "changed" },
] as const;

/** The findings of the release before, each of which waits to be looked after: still there? */
export function Earlier({
  review,
  findings,
  writes,
}: {
  review: string;
  findings: Schemas["EarlierFinding"][];
  writes: boolean;
}) {
  const write = useWriting(review);
  const open = findings.filter((f) => !f.followedBy);
  if (!open.length) return null;
  const say = (f: Schemas["Finding"], fate: (typeof fates)[number]["key"]) => {
    const id = newID();
    const { sort, title, severity, nature, criterion, trouble, workaround } = f;
    write.mutate({
      id,
      revision: 0,
      entry: { finding: { id, sort, title, severity, nature, criterion, trouble, workaround, follows: f.id, fate } },
    });
  };
  return (
    <section className="mb-6">
      <h2 className="border-b border-ink pb-1">Still present?</h2>
      <ul>
        {open.map(({ finding: f, edition }) => (
          <li key={f.id} className="grid gap-x-4 border-b border-rule py-1.5 md:grid-cols-[1fr_auto]">
            <span>
              <span className="font-medium">{f.title}</span>{" "}
              <span className="text-[13px] text-soft">
                {[f.sort, f.severity, `found in ${edition}`, f.workaround && `workaround: ${f.workaround}`]
                  .filter(Boolean)
                  .join(" · ")}
              </span>
            </span>
            {writes && (
              <span className="flex gap-4">
                {fates.map((x) => (
                  <button
                    key={x.key}
                    type="button"
                    className="act"
                    disabled={write.isPending}
                    onClick={() => say(f, x.key)}
                  >
                    {x.title}
                  </button>
                ))}
              </span>
            )}
          </li>
        ))}
      </ul>
      {write.error && (
        <p role="alert" className="text-accent">
          {write.error.message}
        </p>
      )}
    </section>
  );
}

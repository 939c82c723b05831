import type { Bulk } from "../bulk";

/** How far it has come to do the same with many things, and what was refused and why. */
export function BulkOutcome({ of: bulk }: { of: Bulk }) {
  if (!bulk.of) return null;
  const well = bulk.done - bulk.failed.length;
  return (
    <div role="status" className="my-2 text-[13px]">
      {bulk.running ? `${bulk.done} of ${bulk.of} …` : `${well} of ${bulk.of} done.`}
      {bulk.failed.length > 0 && (
        <ul className="text-accent">
          {bulk.failed.map((f) => (
            <li key={f.name}>
              {f.name}: {f.why}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

type Value = string | number | string[];

/** The facts that a survey read of a system, folded away; nothing without a survey. */
export function Surveyed({ facts }: { facts: Record<string, unknown> | undefined }) {
  const all = Object.entries((facts ?? {}) as Record<string, Value>);
  if (all.length === 0) return null;
  return (
    <details className="mt-1 text-[13px]">
      <summary className="cursor-pointer text-soft">{all.length} surveyed facts</summary>
      <dl className="mt-1 grid max-w-3xl gap-x-8 sm:grid-cols-2">
        {all
          .sort(([a], [b]) => a.localeCompare(b))
          .map(([key, value]) => (
            <div key={key} className="flex justify-between gap-4 border-b border-rule py-0.5">
              <dt className="text-soft">{key}</dt>
              <dd className="text-right break-words">
                {Array.isArray(value) ? value.join(", ") || "none" : String(value)}
              </dd>
            </div>
          ))}
      </dl>
    </details>
  );
}

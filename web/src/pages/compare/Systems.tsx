import { nameIn, type Data } from "./Table";

/** How the systems behind the figures were treated, where that differs from the baseline's. */
export function Systems({ data }: { data: Data }) {
  const base = data.systems?.[0];
  const others = (data.systems ?? [])
    .slice(1)
    .filter(
      (t) =>
        t.onlyHere.length ||
        t.onlyBaseline.length ||
        (t.unknown && base && (base.installed.length || t.installed.length)),
    );
  if (!base || others.length === 0) return null;
  const name = (edition: string) => nameIn(data, edition);
  return (
    <section className="my-3 border-l-2 border-accent pl-4 text-[13px]">
      <h2 className="text-[16px]!">The systems were set up differently</h2>
      <ul>
        {others.map((t) => (
          <li key={t.edition}>
            <span className="font-medium">{name(t.edition)}</span>:{" "}
            {t.unknown
              ? "what was chosen and changed is recorded for one of them only"
              : [
                  t.onlyHere.length && `only here: ${t.onlyHere.join(", ")}`,
                  t.onlyBaseline.length && `only on ${name(base.edition)}: ${t.onlyBaseline.join(", ")}`,
                ]
                  .filter(Boolean)
                  .join("; ")}
          </li>
        ))}
      </ul>
    </section>
  );
}

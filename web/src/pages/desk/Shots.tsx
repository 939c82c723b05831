import { titleOf, type Checklist } from "../../checklist";
import { Refused } from "../../components/States";
import { useEvidence, type Evidence } from "../../evidence";
import { ChooseFiles, Drop, EvidenceList } from "./Pictures";

/** The standard pictures that every review takes, as a list to fill, and all other evidence. */
export function Shots({
  review,
  list,
  evidence,
  writes,
}: {
  review: string;
  list: Checklist;
  evidence: Evidence[];
  writes: boolean;
}) {
  const add = useEvidence(review);
  const loose = evidence.filter((e) => !e.shot);
  return (
    <section>
      <h2 className="border-b border-ink pb-1">Pictures</h2>
      <ol>
        {(list.shots ?? []).map((s) => {
          const taken = evidence.filter((e) => e.shot === s.key);
          return (
            <li key={s.key} className="border-b border-rule py-2">
              <Drop label={titleOf(s)} onFiles={(files) => add.mutate({ files, shot: s.key, caption: titleOf(s) })}>
                <span className="flex flex-wrap items-baseline gap-4">
                  <span className={taken.length ? "" : "font-medium"}>
                    {taken.length ? "✓ " : ""}
                    {titleOf(s)}
                  </span>
                  {writes && (
                    <ChooseFiles
                      name={taken.length ? "Another screenshot" : "Choose a picture"}
                      onFiles={(files) => add.mutate({ files, shot: s.key, caption: titleOf(s) })}
                    />
                  )}
                  {!taken.length && <span className="text-[13px] text-soft">or drop it here</span>}
                </span>
                <EvidenceList evidence={taken} />
              </Drop>
            </li>
          );
        })}
      </ol>
      {add.isPending && (
        <p role="status" className="text-soft">
          Sending…
        </p>
      )}
      <Refused error={add.error} />
      {loose.length > 0 && (
        <>
          <h3 className="mt-4">Other evidence</h3>
          <EvidenceList evidence={loose} />
        </>
      )}
    </section>
  );
}

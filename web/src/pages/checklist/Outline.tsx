import { titleOf, type Checklist } from "../../checklist";
import { criterionShares, sectionShares } from "../../checklists";
import { NumberField } from "../../components/Fields";
import { SectionMark } from "../../components/Figures";
import { Shares } from "../../components/Shares";
import { rounded } from "../../numbers";
import { fresh } from "./CriterionForm";
import { same } from "../../merge";

/** What is chosen in the outline. */
export type Place =
  | { on: "list" }
  | { on: "section"; section: number }
  | { on: "criterion"; section: number; criterion: number }
  | { on: "audience"; audience: number }
  | { on: "vocabulary" }
  | { on: "kit" };

/** The place that a JSON pointer into the document means. */
export function placeOf(pointer: string, doc: Checklist): Place | undefined {
  const [part, first, , second] = pointer.replace(/^\//, "").split("/");
  if (part === "sections" && doc.sections[Number(first)]) {
    const section = Number(first);
    return second !== undefined && doc.sections[section].criteria[Number(second)]
      ? { on: "criterion", section, criterion: Number(second) }
      : { on: "section", section };
  }
  if (part === "audiences" && doc.audiences?.[Number(first)]) return { on: "audience", audience: Number(first) };
  if (part === "vocabulary") return { on: "vocabulary" };
  if (part === "kit" || part === "shots") return { on: "kit" };
  return undefined;
}

/** The place of the criterion with that key. */
export function placeOfKey(key: string, doc: Checklist): Place | undefined {
  const section = doc.sections.findIndex((s) => s.criteria.some((c) => c.key === key));
  return section < 0
    ? undefined
    : { on: "criterion", section, criterion: doc.sections[section].criteria.findIndex((c) => c.key === key) };
}

type Props = {
  doc: Checklist;
  base: Checklist;
  place: Place;
  setPlace: (p: Place) => void;
  change: (make: (doc: Checklist) => void) => void;
  whole: boolean;
};

/** The list at a glance, with weights to be typed and shares that follow. */
export function Outline({ doc, base, place, setPlace, change, whole }: Props) {
  const sections = sectionShares(doc);
  const shares = criterionShares(doc);
  const before = new Map(base.sections.flatMap((s) => s.criteria.map((c) => [c.key, c])));
  const entry = (p: Place, text: string) => (
    <button
      key={text}
      type="button"
      className="act"
      aria-current={same(p, place)}
      style={{ fontWeight: same(p, place) ? 700 : 500 }}
      onClick={() => setPlace(p)}
    >
      {text}
    </button>
  );
  return (
    <section aria-label="Outline" className="min-w-0">
      <p className="mb-2 flex flex-wrap gap-x-5 gap-y-1">
        {entry({ on: "list" }, whole ? "Checklist settings" : "The proposal")}
        {whole && entry({ on: "vocabulary" }, "Vocabulary")}
        {whole && entry({ on: "kit" }, "Test files and screenshots")}
      </p>
      <Shares sections={doc.sections} shares={sections} />
      {doc.sections.map((s, i) => (
        <div key={i} className="mt-4">
          <div className="flex items-baseline gap-2 border-b border-ink pb-0.5">
            <SectionMark index={i} />
            <button
              type="button"
              className="font-serif text-[16px] font-semibold hover:underline"
              onClick={() => setPlace({ on: "section", section: i })}
            >
              {titleOf(s)}
            </button>
            <span className="ml-auto text-[13px] text-soft">weight</span>
            <NumberField
              bare
              label={`weight of section ${titleOf(s)}`}
              value={s.weight}
              onChange={(x) => change((d) => void (d.sections[i].weight = x ?? 0))}
            />
            <span className="w-14 text-right text-[13px]">{rounded(100 * sections[i], 1)} %</span>
          </div>
          <ul>
            {s.criteria.map((c, j) => {
              const chosen = place.on === "criterion" && place.section === i && place.criterion === j;
              const old = before.get(c.key);
              return (
                <li
                  key={j}
                  className="flex items-baseline gap-2 border-b border-rule py-0.5"
                  style={{ background: chosen ? "var(--chosen)" : undefined }}
                >
                  <button
                    type="button"
                    aria-current={chosen}
                    className="min-w-0 flex-1 truncate py-0.5 text-left hover:underline"
                    onClick={() => setPlace({ on: "criterion", section: i, criterion: j })}
                  >
                    {titleOf(c)} <span className="text-[12px] text-soft">{c.kind}</span>
                    {!old ? (
                      <strong className="ml-2 text-[12px]">new</strong>
                    ) : (
                      !same(old, c) && <strong className="ml-2 text-[12px]">changed</strong>
                    )}
                  </button>
                  {c.kind === "fact" ? (
                    <span className="text-[13px] text-soft">not scored</span>
                  ) : (
                    <>
                      <NumberField
                        bare
                        label={`weight of ${titleOf(c)}`}
                        value={c.weight ?? 0}
                        onChange={(x) => change((d) => void (d.sections[i].criteria[j].weight = x || undefined))}
                      />
                      <span className="w-14 text-right text-[13px]">
                        {rounded(100 * (shares.get(c.key) ?? 0), 1)} %
                      </span>
                    </>
                  )}
                </li>
              );
            })}
          </ul>
          <button
            type="button"
            className="act mt-1 text-[13px]"
            onClick={() => {
              const key = fresh(
                "criterion",
                doc.sections.flatMap((x) => x.criteria.map((c) => c.key)),
              );
              change((d) => void d.sections[i].criteria.push({ key, kind: "grade", weight: 1 }));
              setPlace({ on: "criterion", section: i, criterion: s.criteria.length });
            }}
          >
            Add a criterion
          </button>
        </div>
      ))}
      {whole && (
        <>
          <p className="mt-4">
            <button
              type="button"
              className="act"
              onClick={() => {
                change(
                  (d) =>
                    void d.sections.push({
                      key: fresh(
                        "section",
                        d.sections.map((s) => s.key),
                      ),
                      weight: 10,
                      criteria: [
                        {
                          key: fresh(
                            "criterion",
                            d.sections.flatMap((x) => x.criteria.map((c) => c.key)),
                          ),
                          kind: "grade",
                          weight: 1,
                        },
                      ],
                    }),
                );
                setPlace({ on: "section", section: doc.sections.length });
              }}
            >
              Add a section
            </button>
          </p>
          <h2 className="mt-6 border-b border-ink pb-0.5">Audiences</h2>
          <ul>
            {(doc.audiences ?? []).map((a, i) => (
              <li key={i} className="border-b border-rule py-0.5">
                <button
                  type="button"
                  className="hover:underline"
                  style={{ fontWeight: place.on === "audience" && place.audience === i ? 700 : 400 }}
                  onClick={() => setPlace({ on: "audience", audience: i })}
                >
                  {titleOf(a)}
                </button>
              </li>
            ))}
          </ul>
          <button
            type="button"
            className="act mt-1 text-[13px]"
            onClick={() => {
              change(
                (d) =>
                  void (d.audiences = [
                    ...(d.audiences ?? []),
                    {
                      key: fresh(
                        "audience",
                        (d.audiences ?? []).map((a) => a.key),
                      ),
                    },
                  ]),
              );
              setPlace({ on: "audience", audience: (doc.audiences ?? []).length });
            }}
          >
            Add an audience
          </button>
        </>
      )}
    </section>
  );
}

import { useState } from "react";
import { useChecklist } from "../../checklist";
import { Choice } from "../../components/Choice";
import { Failure, Loading } from "../../components/States";
import { narrowing, type View } from "../../view";
import { useAttributes, valuesOf } from "../../lists";
import { failed } from "../../failed";

const titles: Partial<Record<(typeof narrowing)[number], string>> = {
  family: "Based on",
  model: "Release model",
  tier: "Support",
  desktop: "Desktop",
  purpose: "Purpose",
  architecture: "Architecture",
  rigClass: "Class of rig",
};

const classes = ["older", "current", "low-power", "virtual"];

/** The filters, the criterion that decides, and the day of the ranking. */
export default function Group({ view, list: name }: { view: View; list: string }) {
  const all = useAttributes();
  const list = useChecklist(name);
  if (failed(all)) return <Failure error={all.error} again={() => all.refetch()} />;
  if (!all.data) return <Loading what="the filters" />;
  const criteria = (list.data?.sections ?? []).flatMap((s) => s.criteria).filter((c) => c.kind !== "fact");
  return (
    <div className="mb-3 flex flex-wrap items-baseline gap-x-6 gap-y-2 border-y border-rule py-2 text-[13px]">
      {(Object.keys(titles) as (keyof typeof titles)[]).map((by) => {
        const values = by === "rigClass" ? classes : valuesOf(all.data, by);
        const now = view.search.getAll(by);
        return values.length < 2 && now.length === 0 ? null : (
          <Choice
            key={by}
            label={titles[by]!}
            value={now.length > 1 ? now.join(" or ") : (now[0] ?? "")}
            onChange={(v) => view.set({ [by]: v })}
            options={[
              { value: "", label: "Any" },
              ...(now.length > 1 ? [{ value: now.join(" or "), label: now.join(" or ") }] : []),
              ...values.map((v) => ({ value: v, label: v })),
            ]}
          />
        );
      })}
      <Choice
        label="Order by one criterion"
        value={view.criterion}
        onChange={(criterion) => view.set({ criterion, section: "" })}
        options={[{ value: "", label: "None" }, ...criteria.map((c) => ({ value: c.key, label: c.title || c.key }))]}
      />
      <Day label="Released from" name="releasedFrom" view={view} />
      <Day label="to" name="releasedTo" view={view} />
      <Day label="As it was on" name="at" view={view} />
      <Day label="Rank changes since" name="since" view={view} />
      {[...narrowing, "releasedFrom", "releasedTo", "at", "since", "criterion"].some((n) => view.search.has(n)) && (
        <button
          type="button"
          className="act"
          onClick={() =>
            view.set(
              Object.fromEntries(
                [...narrowing, "releasedFrom", "releasedTo", "at", "since", "criterion"].map((n) => [n, ""]),
              ),
            )
          }
        >
          Clear the filters
        </button>
      )}
    </div>
  );
}

/** A day that goes into the address once it is whole. */
function Day({ label, name, view }: { label: string; name: string; view: View }) {
  const [typed, setTyped] = useState(view.search.get(name)?.slice(0, 10) ?? "");
  const now = view.search.get(name)?.slice(0, 10) ?? "";
  const [seen, setSeen] = useState(now);
  if (seen !== now) {
    setSeen(now);
    setTyped(now);
  }
  return (
    <label className="inline-flex items-baseline gap-2 text-soft">
      {label}
      <input
        type="date"
        className="field py-0! text-ink"
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          if (e.target.value === "" || /^[12]\d{3}-\d\d-\d\d$/.test(e.target.value))
            view.set({ [name]: e.target.value });
        }}
      />
    </label>
  );
}

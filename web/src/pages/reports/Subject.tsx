import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../../api";
import { Choice } from "../../components/Choice";
import { EditionLabel, said } from "../../components/Edition";
import { useStanding, type Spec } from "./reports";
import { Combobox } from "../../components/Combobox";
import { useAttributes, useRigs, valuesOf } from "../../lists";
import { sourceKey } from "../../keys";
import { useMay } from "../../session";

/** Which editions a report is about, through whose eyes, on which rigs and as of when. */
export function Subject({ spec, change }: { spec: Spec; change: (make: (spec: Spec) => void) => void }) {
  const standing = useStanding(spec.checklist, spec.editions ?? []);
  const rigs = useRigs();
  const plans = useQuery({
    queryKey: sourceKey("plans"),
    queryFn: () => take(api.GET("/plans")),
    enabled: useMay()("see-work"),
  });
  const standings = standing.data
    ? [...standing.data.ranking, ...standing.data.provisional, ...standing.data.barred]
    : [];
  const names = Object.fromEntries(standings.map((p) => [p.edition, p.name]));
  const attributes = useAttributes();
  const listed = (spec.editions ?? []).length > 0;
  const audiences = spec.audiences ?? [""];
  const toggle = (all: string[] | undefined, key: string) =>
    (all ?? []).includes(key) ? (all ?? []).filter((x) => x !== key) : [...(all ?? []), key];
  const titles = [
    { key: "", title: "Everybody (default)" },
    ...(standing.data?.heading.audiences ?? []).map((a) => ({ key: a.key, title: a.title ?? a.key })),
  ];
  const desktops = attributes.data ? valuesOf(attributes.data, "desktop") : [];
  return (
    <section className="mt-5">
      <h2 className="border-b border-ink pb-1">Subject</h2>
      <p className="mt-2">
        <Choice
          label="Editions"
          value={listed ? "listed" : "group"}
          options={[
            { value: "listed", label: "chosen one by one" },
            { value: "group", label: "by a filter" },
          ]}
          onChange={(how) =>
            change((s) => {
              if (how === "group") {
                s.editions = undefined;
                s.group = { newest: true };
                s.baseline = undefined;
              } else {
                s.group = undefined;
                s.editions = Object.keys(names).sort().slice(0, 4);
              }
            })
          }
        />
      </p>
      {listed ? (
        <Editions
          names={names}
          settled={!standing.isPlaceholderData && !!standing.data}
          chosen={spec.editions ?? []}
          onToggle={(e) => change((s) => void (s.editions = toggle(s.editions, e)))}
        />
      ) : (
        <p className="mt-1 flex flex-wrap gap-x-6 gap-y-1">
          <label className="inline-flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={spec.group?.newest ?? false}
              onChange={(e) => change((s) => void (s.group = { ...s.group, newest: e.target.checked || undefined }))}
            />
            only the newest release of each line
          </label>
          <Choice
            label="Desktop"
            value={spec.group?.attributes?.desktop?.[0] ?? ""}
            options={[{ value: "", label: "any" }, ...desktops.map((d) => ({ value: d, label: d }))]}
            onChange={(d) =>
              change((s) => void (s.group = { ...s.group, attributes: d ? { desktop: [d] } : undefined }))
            }
          />
          <Choice
            label="Release model"
            value={spec.group?.attributes?.model?.[0] ?? ""}
            options={[
              { value: "", label: "any" },
              ...["fixed", "rolling", "semi-rolling"].map((d) => ({ value: d, label: d })),
            ]}
            onChange={(d) => change((s) => void (s.group = { ...s.group, attributes: d ? { model: [d] } : undefined }))}
          />
        </p>
      )}
      <fieldset className="mt-3">
        <legend className="text-[13px] text-soft">Audiences; the first is the main one</legend>
        {titles.map((a) => (
          <label key={a.key} className="mr-5 inline-flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={audiences.includes(a.key)}
              onChange={() => change((s) => void (s.audiences = toggle(s.audiences ?? [""], a.key)))}
            />
            {a.title}
            {audiences[0] === a.key && audiences.length > 1 && <span className="text-[12px] text-soft">main</span>}
          </label>
        ))}
      </fieldset>
      <p className="mt-3 flex flex-wrap items-baseline gap-x-6 gap-y-1">
        <Choice
          label="Baseline"
          value={spec.baseline ?? ""}
          options={[
            { value: "", label: "the leader" },
            ...(listed ? (spec.editions ?? []) : []).map((e) => ({ value: e, label: names[e] ? said(names[e]) : e })),
          ]}
          onChange={(b) => change((s) => void (s.baseline = b || undefined))}
        />
        <Choice
          label="Plan that it answers"
          value={spec.plan ?? ""}
          options={[
            { value: "", label: "none" },
            ...(plans.data?.plans ?? []).map((p) => ({ value: p.id, label: p.title })),
          ]}
          onChange={(p) => change((s) => void (s.plan = p || undefined))}
        />
      </p>
      <fieldset className="mt-3">
        <legend className="text-[13px] text-soft">
          Measures count on {spec.rigs?.length ? "only these rigs" : "all rigs"}
        </legend>
        {(rigs.data ?? []).map((r) => (
          <label key={r.key} className="mr-5 inline-flex items-center gap-2 py-0.5">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={(spec.rigs ?? []).includes(r.key)}
              onChange={() =>
                change((s) => {
                  const next = toggle(s.rigs, r.key);
                  s.rigs = next.length ? next : undefined;
                })
              }
            />
            {r.name || r.key}
          </label>
        ))}
        <label className="mr-5 inline-flex items-center gap-2 py-0.5">
          <input
            type="checkbox"
            className="accent-(--accent)"
            checked={spec.commonRigs ?? false}
            onChange={(e) => change((s) => void (s.commonRigs = e.target.checked || undefined))}
          />
          only rigs that all editions have
        </label>
      </fieldset>
      <p className="mt-3">
        <label className="text-[13px] text-soft" htmlFor="as-of">
          As of the end of (empty: when it is published)
        </label>{" "}
        <input
          id="as-of"
          type="date"
          className="field"
          value={spec.at?.slice(0, 10) ?? ""}
          onChange={(e) => change((s) => void (s.at = e.target.value ? `${e.target.value}T23:59:59Z` : undefined))}
        />
      </p>
    </section>
  );
}

/** The editions chosen, and a field to find more. */
function Editions({
  names,
  settled,
  chosen,
  onToggle,
}: {
  names: Record<string, { distribution: string; release: string; edition: string }>;
  settled: boolean;
  chosen: string[];
  onToggle: (edition: string) => void;
}) {
  const [next, setNext] = useState("");
  return (
    <div className="mt-1">
      <ul>
        {chosen.map((e) => (
          <li key={e}>
            <label className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                className="accent-(--accent)"
                checked
                disabled={chosen.length === 1}
                onChange={() => onToggle(e)}
              />
              <span>
                {names[e] ? <EditionLabel name={names[e]} /> : e}
                {settled && !names[e] && <span className="text-[13px] text-soft"> no accepted review</span>}
              </span>
            </label>
          </li>
        ))}
      </ul>
      <Combobox
        label="Another edition"
        sort="edition"
        reviewed
        without={chosen}
        value={next}
        onChange={setNext}
        onPick={(found) => {
          onToggle(found.key);
          setNext("");
        }}
        placeholder="a few letters of its name"
      />
    </div>
  );
}

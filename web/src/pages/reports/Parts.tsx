import { useQuery } from "@tanstack/react-query";
import { useId, useRef, useState } from "react";
import { api, take, type Schemas } from "../../api";
import { Choice } from "../../components/Choice";
import { useReportParts, type Part, type Spec } from "./reports";
import { sourceKey } from "../../keys";

/** The parts of a report in their order, each with its prose. */
export function Parts({
  name,
  spec,
  change,
  onPart,
}: {
  name: string;
  spec: Spec;
  change: (make: (spec: Spec) => void) => void;
  onPart: (id: string) => void;
}) {
  const known = useReportParts();
  const check = useQuery({
    queryKey: sourceKey("reportCheck", name),
    queryFn: () => take(api.GET("/reports/{report}/draft/check", { params: { path: { report: name } } })),
    staleTime: 0,
    retry: false,
  });
  const [add, setAdd] = useState("");
  const parts = spec.parts;
  const titleOf = (kind: string) => known.data?.kinds.find((k) => k.key === kind)?.title ?? kind;
  const missing = (known.data?.kinds ?? []).filter((k) => k.key === "text" || !parts.some((p) => p.kind === k.key));
  const move = (from: number, to: number) => change((s) => s.parts.splice(to, 0, ...s.parts.splice(from, 1)));
  const put = (kind: string) =>
    change((s) => {
      let id = kind;
      for (let n = 2; s.parts.some((p) => p.id === id); n++) id = `${kind}-${n}`;
      // Caveats stay last unless somebody moved them.
      const at = s.parts.at(-1)?.kind === "caveats" ? s.parts.length - 1 : s.parts.length;
      s.parts.splice(at, 0, { id, kind: kind as Part["kind"] });
    });
  return (
    <section className="mt-6">
      <h2 className="border-b border-ink pb-1">Parts</h2>
      <ol>
        {parts.map((p, i) => (
          <li key={p.id} className="border-b border-rule py-3">
            <PartForm
              part={p}
              standard={titleOf(p.kind)}
              faults={[...(check.data?.unfilled ?? []), ...(check.data?.typed ?? [])].filter((f) => f.part === p.id)}
              references={known.data?.references ?? []}
              change={(make) => change((s) => make(s.parts[s.parts.findIndex((x) => x.id === p.id)]))}
              onFocus={() => onPart(p.id)}
            />
            <span className="mt-1 flex gap-5 text-[13px]">
              <button
                type="button"
                className="act"
                disabled={i === 0}
                onClick={() => move(i, i - 1)}
                aria-label={`Move ${p.title || titleOf(p.kind)} up`}
              >
                Up
              </button>
              <button
                type="button"
                className="act"
                disabled={i === parts.length - 1}
                onClick={() => move(i, i + 1)}
                aria-label={`Move ${p.title || titleOf(p.kind)} down`}
              >
                Down
              </button>
              {p.kind === "caveats" ? (
                <span className="text-soft">cannot be left out</span>
              ) : (
                <button
                  type="button"
                  className="act"
                  onClick={() => change((s) => void (s.parts = s.parts.filter((x) => x.id !== p.id)))}
                  aria-label={`Leave ${p.title || titleOf(p.kind)} out`}
                >
                  Leave out
                </button>
              )}
            </span>
          </li>
        ))}
      </ol>
      <p className="mt-3 flex flex-wrap items-baseline gap-x-5">
        <Choice
          label="Add a part"
          value={add}
          options={[
            { value: "", label: "choose" },
            ...missing.map((k) => ({ value: k.key, label: k.key === "text" ? "more text" : k.title })),
          ]}
          onChange={setAdd}
        />
        <button type="button" className="act" disabled={!add} onClick={() => (put(add), setAdd(""))}>
          Add
        </button>
      </p>
    </section>
  );
}

type Fault = Schemas["ReportFault"];

function PartForm({
  part: p,
  standard,
  faults,
  references,
  change,
  onFocus,
}: {
  part: Part;
  standard: string;
  faults: Fault[];
  references: Schemas["ReportReference"][];
  change: (make: (p: Part) => void) => void;
  onFocus: () => void;
}) {
  const id = useId();
  const area = useRef<HTMLTextAreaElement>(null);
  const [helping, setHelping] = useState(false);
  const rows = Math.min(
    Math.max(
      (p.text ?? "").split("\n").reduce((n, l) => n + 1 + Math.floor(l.length / 70), 0) + 1,
      p.kind === "summary" || p.kind === "text" ? 5 : 2,
    ),
    22,
  );
  const insert = (r: Schemas["ReportReference"]) => {
    const from = area.current?.selectionStart ?? (p.text ?? "").length;
    const text = `{${[r.name, r.takes].filter(Boolean).join(" ")}}`;
    change((x) => void (x.text = (x.text ?? "").slice(0, from) + text + (x.text ?? "").slice(from)));
    requestAnimationFrame(() => {
      area.current?.focus();
      area.current?.setSelectionRange(from + 1 + r.name.length + (r.takes ? 1 : 0), from + text.length - 1);
    });
  };
  return (
    <div onFocus={onFocus}>
      <input
        aria-label={`Heading of the part ${p.id}`}
        className="field w-full border-b-0! px-0! font-serif text-[16px] font-semibold"
        placeholder={standard}
        value={p.title ?? ""}
        onChange={(e) => change((x) => void (x.title = e.target.value || undefined))}
      />
      <label htmlFor={id} className="block text-[13px] text-soft">
        {p.kind === "summary" || p.kind === "text"
          ? "Text, in Markdown"
          : "Text above the generated content, in Markdown"}{" "}
        <button type="button" className="act" aria-expanded={helping} onClick={() => setHelping(!helping)}>
          Insert a figure
        </button>
      </label>
      {helping && (
        <ul
          className="my-1 max-h-[12rem] overflow-y-auto border-y border-rule text-[13px]"
          tabIndex={0}
          aria-label="Figures that you can insert"
        >
          {references.map((r) => (
            <li key={r.name} className="flex items-baseline gap-3 py-0.5">
              <button type="button" className="act shrink-0" onClick={() => insert(r)}>
                {`{${[r.name, r.takes].filter(Boolean).join(" ")}}`}
              </button>
              <span className="text-soft">{r.says}</span>
            </li>
          ))}
        </ul>
      )}
      <textarea
        ref={area}
        id={id}
        className="field w-full"
        rows={rows}
        value={p.text ?? ""}
        aria-invalid={faults.length > 0}
        aria-describedby={faults.length ? `${id}-faults` : undefined}
        onChange={(e) => change((x) => void (x.text = e.target.value || undefined))}
      />
      {faults.length > 0 && (
        <ul id={`${id}-faults`} className="text-[13px] text-accent">
          {faults.map((f, i) => (
            <li key={i}>
              line {f.line}: <code>{f.text}</code> {f.detail}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

import { useEffect, useRef, type KeyboardEvent } from "react";
import { titleOf, type Criterion } from "../../checklist";
import { decimal } from "../../decimal";
import { percent, figure, rounded } from "../../numbers";
import { parseList, spread, summary } from "./runs";
import { runsSoFar, type Typed } from "./typed";

/** quiet: the fields do not take the focus by themselves, since there are several such groups on the page. */
type Props = {
  criterion: Criterion;
  typed: Typed;
  onType: (change: Partial<Typed>) => void;
  onDone: () => void;
  quiet?: boolean;
};

/** The fields in which a criterion of any kind is answered. */
export function Fields(p: Props) {
  if (p.typed.none)
    return (
      <Text
        label={p.typed.none === "notTested" ? "Not tested, because" : "Not applicable, because"}
        value={p.typed.reason}
        onType={(reason) => p.onType({ reason })}
        onDone={p.onDone}
        autoFocus={!p.quiet}
      />
    );
  switch (p.criterion.kind) {
    case "grade":
      return <Grade {...p} />;
    case "check":
      return <Options {...p} value={p.typed.check} options={checks} onPick={(check) => p.onType({ check })} />;
    case "level":
      return (
        <Options
          {...p}
          value={p.typed.level}
          options={(p.criterion.levels ?? []).map((l) => ({ key: l.key, title: titleOf(l) }))}
          onPick={(level) => p.onType({ level })}
        />
      );
    case "count":
      return p.criterion.items?.length ? <Items {...p} /> : <KOfN {...p} />;
    case "fact":
      return (
        <Text
          label={titleOf(p.criterion)}
          value={p.typed.fact}
          onType={(fact) => p.onType({ fact })}
          onDone={p.onDone}
          autoFocus={!p.quiet}
        />
      );
    case "measure":
      return <Runs {...p} />;
    default:
      return p.criterion.kind satisfies never; // every kind has its fields
  }
}

/** A field for words: letters are letters in it. */
export function Text({
  label,
  value,
  onType,
  onDone,
  autoFocus = false,
}: {
  label: string;
  value: string;
  onType: (text: string) => void;
  onDone: () => void;
  autoFocus?: boolean;
}) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (autoFocus) field.current?.focus();
  }, [autoFocus]);
  return (
    <label className="block">
      <span className="block text-[13px] text-soft">{label}</span>
      <input
        ref={field}
        className="field w-full"
        data-words
        value={value}
        onChange={(e) => onType(e.target.value)}
        onKeyDown={(e) => e.key === "Enter" && !e.ctrlKey && (e.preventDefault(), onDone())}
      />
    </label>
  );
}

/** A field for a number: digits, point and comma type, letters act. */
function Figure({
  label,
  value,
  onType,
  onEnter,
  first = false,
  wide = false,
  onList,
}: {
  label: string;
  value: string;
  onType: (text: string) => void;
  onEnter: (e: KeyboardEvent<HTMLInputElement>) => void;
  first?: boolean;
  wide?: boolean;
  onList?: (texts: string[]) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (first) field.current?.focus({ preventScroll: true });
  }, [first]);
  return (
    <input
      ref={field}
      aria-label={label}
      inputMode="decimal"
      autoComplete="off"
      data-figure
      className={`field text-right text-[17px] font-medium ${wide ? "w-28" : "w-[76px]"}`}
      value={value}
      onChange={(e) => onType(e.target.value)}
      onPaste={(e) => {
        const texts = parseList(e.clipboardData.getData("text"));
        if (!onList || texts.length < 2) return;
        e.preventDefault();
        onList(texts);
      }}
      onKeyDown={(e) => {
        if (e.key === "Enter" && !e.ctrlKey) {
          e.preventDefault();
          onEnter(e);
        }
      }}
    />
  );
}

function Grade({ typed, onType, onDone, quiet }: Props) {
  return (
    <span className="flex items-baseline gap-3">
      <Figure
        label="Grade from 0 to 10"
        value={typed.grade}
        onType={(grade) => onType({ grade })}
        onEnter={onDone}
        first={!quiet}
      />
      <span className="text-soft">of 10</span>
    </span>
  );
}

function Runs({ criterion: c, typed, onType, onDone, quiet }: Props) {
  const row = useRef<HTMLSpanElement>(null);
  const set = (i: number, text: string) => {
    const runs = typed.runs.map((r, n) => (n === i ? text : r));
    onType({ runs });
  };
  const enter = (i: number) => {
    const next = row.current?.querySelectorAll("input")[i + 1];
    if (typed.runs[i].trim() && next) next.focus();
    else onDone();
  };
  // A pasted list fills the fields from the one in hand on, and makes more where they do not suffice.
  const list = (i: number, texts: string[]) => {
    const runs = [...typed.runs];
    texts.forEach((t, n) => (runs[i + n] = t));
    onType({ runs });
  };
  return (
    <>
      <span className="flex flex-wrap items-baseline gap-2" ref={row}>
        {typed.runs.map((r, i) => (
          <Figure
            key={i}
            label={`Run ${i + 1}${c.unit ? ` in ${c.unit}` : ""}`}
            value={r}
            onType={(text) => set(i, text)}
            onEnter={() => enter(i)}
            onList={(texts) => list(i, texts)}
            first={i === 0 && !quiet}
          />
        ))}
        <span>{c.unit}</span>
        <button type="button" className="act text-[13px]" onClick={() => onType({ runs: [...typed.runs, ""] })}>
          add a run
        </button>
      </span>
      <Summary criterion={c} typed={typed} />
    </>
  );
}

/** What the runs typed so far come to, and how far they scatter. */
function Summary({ criterion: c, typed }: { criterion: Criterion; typed: Typed }) {
  const runs = runsSoFar(c, typed);
  if (runs.length === 0) return null;
  const offset = decimal(typed.adjust) ?? 0;
  const scatter = spread(runs, offset);
  const tolerance = c.runs?.tolerance ?? 0.05;
  const words = [
    `${c.runs?.summary ?? "median"} of ${runs.length}: ${figure(summary(c, runs, offset))} ${c.unit ?? ""}`,
  ];
  if (offset) words.push(`minus ${figure(offset)}`);
  if (scatter !== undefined) words.push(`spread ${rounded(100 * scatter, 1)} %, tolerance ${percent(tolerance)}`);
  if (c.runs?.expect && runs.length < c.runs.expect) words.push(`${c.runs.expect} runs are expected`);
  return (
    <p aria-live="polite" className="mt-1 text-[13px] text-soft">
      {words.join(" · ")}
      {scatter !== undefined && scatter > tolerance && (
        <span className="font-medium text-ink"> · unsteady: measure it again</span>
      )}
    </p>
  );
}

function KOfN({ typed, onType, onDone, quiet }: Props) {
  const second = useRef<HTMLSpanElement>(null);
  return (
    <span className="flex items-baseline gap-3">
      <Figure
        label="How many worked"
        value={typed.k}
        onType={(k) => onType({ k })}
        onEnter={() => second.current?.querySelector("input")?.focus()}
        first={!quiet}
      />
      <span className="text-soft">of</span>
      <span ref={second}>
        <Figure label="Of how many" value={typed.n} onType={(n) => onType({ n })} onEnter={onDone} />
      </span>
    </span>
  );
}

const checks = [
  { key: "works", title: "Works" },
  { key: "workaround", title: "Works with a workaround" },
  { key: "fails", title: "Fails" },
];

/** A few answers, each with its digit. */
function Options({
  criterion,
  value,
  options,
  onPick,
  onDone,
  quiet,
}: Props & { value: string; options: { key: string; title: string }[]; onPick: (key: string) => void }) {
  const group = useRef<HTMLDivElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each criterion takes the focus anew
  useEffect(() => {
    if (!quiet) group.current?.focus({ preventScroll: true });
  }, [criterion.key, quiet]);
  const press = (e: KeyboardEvent) => {
    const picked = options[Number(e.key) - 1];
    if (picked && !e.ctrlKey && !e.altKey && !e.metaKey) {
      e.preventDefault();
      onPick(picked.key);
    } else if (e.key === "Enter" && !e.ctrlKey && e.target === group.current) {
      e.preventDefault();
      onDone();
    }
  };
  return (
    <div
      ref={group}
      role="radiogroup"
      aria-label={titleOf(criterion)}
      tabIndex={quiet ? 0 : -1}
      onKeyDown={press}
      className="flex flex-wrap gap-x-6 gap-y-2 outline-none"
    >
      {options.map((o, i) => (
        <button
          key={o.key}
          type="button"
          role="radio"
          aria-checked={value === o.key}
          onClick={() => onPick(o.key)}
          className={`flex items-center gap-2 px-1.5 py-0.5 ${value === o.key ? "bg-chosen font-semibold" : ""}`}
        >
          <span className="key">{i + 1}</span>
          {value === o.key && <span aria-hidden="true">✓</span>}
          {o.title}
        </button>
      ))}
    </div>
  );
}

const itemFates = [
  { key: "worked", title: "worked" },
  { key: "workaround", title: "workaround" },
  { key: "failed", title: "failed" },
  { key: "notTested", title: "untried" },
];

/** Every item of a count with its fate; a digit answers the one in hand and goes on to the next. */
function Items({ criterion: c, typed, onType, onDone, quiet }: Props) {
  const rows = useRef<HTMLUListElement>(null);
  const focus = (i: number) =>
    rows.current?.querySelectorAll<HTMLElement>("[data-item]")[i]?.focus({ preventScroll: true });
  // biome-ignore lint/correctness/useExhaustiveDependencies: each criterion takes the focus anew
  useEffect(() => {
    if (!quiet) focus(0);
  }, [c.key, quiet]);
  const press = (e: KeyboardEvent, i: number, key: string) => {
    if (e.ctrlKey || e.altKey || e.metaKey) return;
    const fate = itemFates[Number(e.key) - 1];
    if (fate) {
      e.preventDefault();
      onType({ items: { ...typed.items, [key]: fate.key } });
      focus(i + 1);
    } else if (e.key === "Enter" && e.target === e.currentTarget) {
      e.preventDefault();
      if (i + 1 < c.items!.length && !typed.items[key]) focus(i + 1);
      else onDone();
    } else if (e.key === "ArrowDown" || e.key === "ArrowUp") {
      e.preventDefault();
      e.stopPropagation();
      focus(i + (e.key === "ArrowDown" ? 1 : -1));
    }
  };
  return (
    <ul ref={rows} className="max-w-xl">
      {c.items!.map((item, i) => (
        <li
          key={item.key}
          data-item
          tabIndex={0}
          aria-label={`${titleOf(item)}: ${typed.items[item.key] ?? "open"}`}
          onKeyDown={(e) => press(e, i, item.key)}
          className="grid items-baseline gap-x-4 border-b border-rule py-1 outline-offset-[-2px] md:grid-cols-[11rem_1fr]"
        >
          <span>
            {titleOf(item)}{" "}
            {item.weight != null && item.weight !== 1 && <span className="text-[12px] text-soft">× {item.weight}</span>}
          </span>
          <span className="flex flex-wrap gap-x-4">
            {itemFates.map((f, n) => (
              <button
                key={f.key}
                type="button"
                tabIndex={-1}
                aria-pressed={typed.items[item.key] === f.key}
                onClick={() => onType({ items: { ...typed.items, [item.key]: f.key } })}
                className={`px-1 text-[13px] ${typed.items[item.key] === f.key ? "bg-chosen font-semibold" : "text-soft"}`}
              >
                <span className="key mr-1">{n + 1}</span>
                {typed.items[item.key] === f.key && "✓ "}
                {f.title}
              </button>
            ))}
          </span>
        </li>
      ))}
    </ul>
  );
}

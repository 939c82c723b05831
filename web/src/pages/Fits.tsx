import { useQuery } from "@tanstack/react-query";
import { useMemo, useState, type FormEvent } from "react";
import { Link } from "react-router";
import { api, take, type Schemas } from "../api";
import { Choice } from "../components/Choice";
import { EditionLabel, said } from "../components/Edition";
import { NumberField, TextField } from "../components/Fields";
import { Frame } from "../components/Frame";
import { Empty, Failure, Loading } from "../components/States";
import { DataTable } from "../components/table/DataTable";
import type { Column } from "../components/table/columns";
import { examples, ownMachine, type Machine as MachineSaid } from "../machine";
import { count } from "../numbers";
import { addressOf, useView, type View } from "../view";
import { allOf } from "./ranking/entries";
import { Rows } from "./ranking/Rows";
import { sourceKey } from "../keys";
import { failed } from "../failed";

const numbers = ["memoryMiB", "diskGiB", "cores"] as const;
const words = ["processor", "graphics", "machineArchitecture"] as const;

/** What somebody has goes in; what would run on it, and how that ranks on the rig most like it, comes out. */
export default function FitsPage() {
  const view = useView();
  const asked = [...numbers, ...words].some((n) => view.search.has(n));
  const machine = {
    ...Object.fromEntries(numbers.map((n) => [n, Number(view.search.get(n)) || undefined])),
    ...Object.fromEntries(words.map((n) => [n, view.search.get(n) || undefined])),
    virtual: view.search.get("virtual") === "true" || undefined,
  };
  const fits = useQuery({
    queryKey: sourceKey("fits", view.query, machine),
    enabled: asked,
    queryFn: () => take(api.GET("/fits", { params: { query: { ...view.query, ...machine } } })),
    placeholderData: (old) => old,
  });
  return (
    <Frame title="For my machine">
      <h1>
        For my machine{" "}
        {fits.data?.ranking.heading.audience && (
          <em>for {fits.data.ranking.heading.audienceTitle || fits.data.ranking.heading.audience}</em>
        )}
      </h1>
      <p className="text-[13px] text-soft">
        Describe your machine. A field that you leave empty excludes nothing. An edition fits if the machine has what
        its makers ask for and what was measured in use.
      </p>
      <Machine key={view.search.toString()} view={view} />
      {!asked ? null : failed(fits) ? (
        <Failure error={fits.error} again={() => fits.refetch()} />
      ) : !fits.data ? (
        <Loading what="the fitting editions" />
      ) : (
        <Answer data={fits.data} view={view} />
      )}
    </Frame>
  );
}

function Machine({ view }: { view: View }) {
  const number = (n: string) => (view.search.get(n) ? Number(view.search.get(n)) : undefined);
  const [typed, setTyped] = useState<MachineSaid>({
    memory: number("memoryMiB") === undefined ? undefined : number("memoryMiB")! / 1024,
    disk: number("diskGiB"),
    cores: number("cores"),
    processor: view.search.get("processor") ?? "",
    graphics: view.search.get("graphics") ?? "",
    architecture: view.search.get("machineArchitecture") ?? "",
  });
  const [told, setTold] = useState("");
  const askBrowser = async () => {
    const own = await ownMachine();
    setTyped({ ...typed, ...own });
    setTold(
      Object.keys(own).length
        ? "Filled in what this browser reports. Nothing is sent until you press the button. Check it first: browsers report 8 GiB of memory at most."
        : "This browser reports nothing about its machine.",
    );
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    look(typed);
  };
  const look = (typed: MachineSaid) => {
    const text = (x: number | undefined) => (x ? String(x) : "");
    view.set({
      memoryMiB: typed.memory ? String(Math.round(typed.memory * 1024)) : "",
      diskGiB: text(typed.disk && Math.round(typed.disk)),
      cores: text(typed.cores && Math.round(typed.cores)),
      processor: typed.processor.trim(),
      graphics: typed.graphics.trim(),
      machineArchitecture: typed.architecture,
    });
  };
  return (
    <>
      <p className="mt-3 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-[13px]">
        <span className="text-soft">Start from</span>
        {examples.map((x) => (
          <button
            key={x.title}
            type="button"
            className="act"
            onClick={() => {
              setTyped(x.machine);
              look(x.machine);
            }}
          >
            {x.title}
          </button>
        ))}
        <button type="button" className="act" onClick={() => void askBrowser()}>
          This machine
        </button>
      </p>
      {told && (
        <p role="status" className="mt-1 text-[13px] text-soft">
          {told}
        </p>
      )}
      <form onSubmit={submit} className="my-3 grid max-w-[960px] grid-cols-2 items-end gap-x-5 gap-y-3 md:grid-cols-6">
        <NumberField
          label="Memory"
          hint="GiB"
          value={typed.memory}
          onChange={(memory) => setTyped({ ...typed, memory })}
        />
        <NumberField label="Disk" hint="GiB" value={typed.disk} onChange={(disk) => setTyped({ ...typed, disk })} />
        <NumberField label="Processor cores" value={typed.cores} onChange={(cores) => setTyped({ ...typed, cores })} />
        <TextField
          label="Processor"
          hint="model"
          value={typed.processor}
          onChange={(processor) => setTyped({ ...typed, processor })}
        />
        <TextField
          label="Graphics"
          hint="model"
          value={typed.graphics}
          onChange={(graphics) => setTyped({ ...typed, graphics })}
        />
        <TextField
          label="Architecture"
          hint="amd64"
          value={typed.architecture}
          onChange={(architecture) => setTyped({ ...typed, architecture })}
        />
        <button type="submit" className="main-act justify-self-start">
          Show what fits
        </button>
      </form>
    </>
  );
}

// Of those without a rank so many are named.
const mostNamed = 20;

const apartColumns = (names: Schemas["FitsView"]["names"]): Column<Schemas["Fit"]>[] => [
  {
    key: "edition",
    title: "Edition",
    heads: true,
    value: (f) => (names[f.edition] ? said(names[f.edition]) : f.edition),
    cell: (f) => (names[f.edition] ? <EditionLabel name={names[f.edition]} /> : f.edition),
  },
  { key: "fits", title: "Fits", value: (f) => (f.fits ? "barely" : "no") },
  { key: "why", title: "Why", className: "text-soft", value: (f) => f.reasons.join("; ") },
];

function Answer({ data, view }: { data: Schemas["FitsView"]; view: View }) {
  const { ranking, nearest } = data;
  const apart = useMemo(() => data.fits.filter((f) => !f.fits || f.tight), [data]);
  const columns = useMemo(() => apartColumns(data.names), [data]);
  const without = [...ranking.provisional, ...ranking.barred];
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-6 gap-y-2 text-[13px]">
        <Choice
          label="Audience"
          value={view.audience}
          onChange={(audience) => view.set({ audience })}
          options={[
            { value: "", label: "Everybody (default)" },
            ...ranking.heading.audiences.map((a) => ({ value: a.key, label: a.title || a.key })),
          ]}
        />
        <Choice
          label="Releases"
          value={view.search.get("newest") ?? ""}
          onChange={(newest) => view.set({ newest })}
          options={[
            { value: "", label: "All" },
            { value: "true", label: "Newest of each line" },
          ]}
        />
      </div>
      <h2 className="mt-5">
        {count(data.counts.fit)} of {count(data.counts.editions)} editions fit
      </h2>
      {nearest && (
        <p className="pb-2 text-[13px] text-soft">
          Measures count only on{" "}
          <Link className="act" to={`/rigs/${nearest.rig}`}>
            {nearest.rig}
          </Link>
          , the rig most similar to your machine:{" "}
          {nearest.differs.length ? nearest.differs.join("; ") : "it matches everything you entered"}. Criteria that
          were not measured on it count from any rig.
        </p>
      )}
      {data.counts.fit === 0 ? (
        <Empty>No reviewed edition fits this machine. The reasons are below.</Empty>
      ) : (
        <>
          <Rows heading={ranking.heading} entries={allOf(ranking.ranking)} view={view} gains={false} />
          {ranking.ranking.length === 0 && (
            <p className="text-soft">The editions that fit have too few measures on this rig to be ranked.</p>
          )}
          {ranking.counts.ranked > ranking.ranking.length && (
            <p className="mt-2 text-[13px] text-soft">
              The first {count(ranking.ranking.length)} of {count(ranking.counts.ranked)} ranked editions.
            </p>
          )}
          {without.length > 0 && (
            <p className="mt-2 text-[13px] text-soft">
              Not ranked:{" "}
              {without
                .slice(0, mostNamed)
                .map((e) => said(e.name))
                .join(", ")}
              {without.length > mostNamed && ` and ${without.length - mostNamed} more`}.{" "}
              <Link className="act" to={addressOf("/", view)}>
                The ranking shows why
              </Link>
            </p>
          )}
        </>
      )}
      {apart.length > 0 && (
        <section className="mt-6">
          <h2 className="border-b border-ink pb-1">Editions that do not fit, or barely</h2>
          <p className="py-1 text-[13px] text-soft">
            In alphabetical order
            {data.counts.editions > data.fits.length && `, among the first ${count(data.fits.length)} editions`}.
          </p>
          <DataTable
            label="Editions that do not fit, or barely"
            file="does-not-fit"
            rows={apart}
            rowKey={(f) => f.edition}
            columns={columns}
          />
        </section>
      )}
    </>
  );
}

import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api, take } from "../api";
import { Choice } from "../components/Choice";
import { TextField } from "../components/Fields";
import { Frame } from "../components/Frame";
import { Empty, Failure, Loading } from "../components/States";
import { useInView } from "../components/table/window";
import { counted, day } from "../numbers";
import { editionKey, editionLabel, useCatalogue, valuesOf, type Catalogue, type Distribution } from "./catalogue/data";
import { distributionFields } from "./catalogue/fields";
import { Form } from "./catalogue/Form";
import { outdated } from "../keys";
import { useMay } from "../session";
import { failed } from "../failed";

export default function CataloguePage() {
  const [search, setSearch] = useSearchParams();
  const all = useCatalogue();
  const to = (name: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true, preventScrollReset: true });
  };
  return (
    <Frame title="Catalogue">
      <h1>Catalogue</h1>
      {all.isPending ? (
        <Loading what="the catalogue" />
      ) : failed(all) ? (
        <Failure error={all.error} again={() => all.refetch()} />
      ) : (
        <>
          <p className="text-[13px] text-soft">
            {counted(all.data.distributions.length, "distribution")} in alphabetical order (not a ranking) ·{" "}
            {counted(all.data.releases.length, "release")} · {counted(all.data.editions.length, "edition")} ·{" "}
            <Link className="act" to="/rigs">
              rigs
            </Link>
          </p>
          <Filters all={all.data} search={search} to={to} />
          <Ledger all={all.data} search={search} />
          <Add />
        </>
      )}
    </Frame>
  );
}

const filters = ["model", "family", "tier", "desktop", "purpose", "architecture"] as const;
const titles: Record<(typeof filters)[number], string> = {
  model: "Release model",
  family: "Based on",
  tier: "Support",
  desktop: "Desktop",
  purpose: "Purpose",
  architecture: "Architecture",
};

function Filters({
  all,
  search,
  to,
}: {
  all: Catalogue;
  search: URLSearchParams;
  to: (name: string, value: string) => void;
}) {
  return (
    <div className="my-3 flex flex-wrap items-end gap-x-6 gap-y-2">
      <label className="block w-72">
        <span className="sr-only">Search by name, version, codename, desktop or aim</span>
        <input
          className="field w-full"
          type="search"
          placeholder="Search by name, version, desktop or aim"
          value={search.get("find") ?? ""}
          onChange={(e) => to("find", e.target.value)}
        />
      </label>
      {filters.map((f) => {
        const options = valuesOf(all, f);
        return options.length > 1 ? (
          <Choice
            key={f}
            label={titles[f]}
            value={search.get(f) ?? ""}
            onChange={(v) => to(f, v)}
            options={[{ value: "", label: "any" }, ...options.map((o) => ({ value: o, label: o }))]}
          />
        ) : null;
      })}
      <Choice
        label="Reviewed"
        value={search.get("reviewed") ?? ""}
        onChange={(v) => to("reviewed", v)}
        options={[
          { value: "", label: "or not reviewed" },
          { value: "yes", label: "yes" },
          { value: "no", label: "not yet" },
        ]}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-(--accent)"
          checked={search.has("retired")}
          onChange={(e) => to("retired", e.target.checked ? "shown" : "")}
        />{" "}
        Show retired ones
      </label>
    </div>
  );
}

/** Things by a name that they share. */
function by<T>(all: T[], name: (x: T) => string): Map<string, T[]> {
  const map = new Map<string, T[]>();
  for (const x of all) {
    const there = map.get(name(x));
    if (there) there.push(x);
    else map.set(name(x), [x]);
  }
  return map;
}

/** What the catalogue has that is looked for: distributions with their releases and editions. */
function found(all: Catalogue, search: URLSearchParams) {
  const releasesOf = by(all.releases, (r) => r.distribution);
  const editionsOf = by(all.editions, (e) => `${e.distribution}/${e.release}`);
  const wanted = (search.get("find") ?? "").toLowerCase();
  const is = (name: string, value: string | undefined) => !search.get(name) || search.get(name) === (value ?? "");
  const retired = search.has("retired");
  return all.distributions
    .filter(
      (d) =>
        (retired || !d.retired) &&
        is("model", d.model) &&
        (!search.get("family") || d.family?.includes(search.get("family")!)),
    )
    .map((d) => {
      const own = [d.name, d.key, d.aim, ...(d.family ?? [])].some((t) => t?.toLowerCase().includes(wanted));
      const releases = (releasesOf.get(d.key) ?? [])
        .filter((r) => (retired || !r.retired) && is("tier", r.tier))
        .map((r) => {
          const named = own || [r.version, r.codename].some((t) => t?.toLowerCase().includes(wanted));
          const editions = (editionsOf.get(`${d.key}/${r.version}`) ?? []).filter(
            (e) =>
              (retired || !e.retired) &&
              is("desktop", e.desktop) &&
              is("purpose", e.purpose) &&
              is("architecture", e.architecture) &&
              (!search.get("reviewed") || (search.get("reviewed") === "yes") === all.reviewed.has(editionKey(e))) &&
              (named || [e.desktop, e.purpose, e.key].some((t) => t?.toLowerCase().includes(wanted))),
          );
          return { r, editions, named };
        })
        .filter(
          (x) => x.editions.length > 0 || (x.named && ![...filters.slice(3), "reviewed"].some((f) => search.get(f))),
        );
      return { d, releases, own };
    })
    .filter((x) => x.releases.length > 0 || (x.own && ![...filters.slice(2), "reviewed"].some((f) => search.get(f))));
}

function Ledger({ all, search }: { all: Catalogue; search: URLSearchParams }) {
  const sections = useMemo(() => found(all, search), [all, search]);
  const inView = useInView<HTMLDivElement>(sections.length, 260, 30);
  const edits = useMay()("edit-catalogue");
  if (all.distributions.length === 0) return <Empty>There are no distributions yet.</Empty>;
  if (sections.length === 0) return <Empty>Nothing in the catalogue matches.</Empty>;
  return (
    <div ref={inView.place}>
      <div style={{ height: inView.before }} />
      {inView.rows.map((i) => {
        const { d, releases } = sections[i];
        return (
          <div key={d.key} ref={inView.measure} data-index={i} className="pt-5">
            <section className="border-l border-accent pl-4">
              <h2>
                <Link className="underline decoration-rule underline-offset-4" to={`/catalogue/${d.key}`}>
                  {d.name}
                </Link>{" "}
                {d.retired && <span className="text-[13px] font-normal text-soft">retired</span>}
              </h2>
              <p className="text-[13px] text-soft">
                {d.model}
                {d.family?.length ? `, based on ${d.family.join(", which is based on ")}` : ""}
                {d.aim && ` · “${d.aim}”`}
              </p>
              <ul>
                {releases.toReversed().map(({ r, editions }) => (
                  <li
                    key={r.version}
                    className="border-b border-rule py-1 md:grid md:grid-cols-[8rem_20rem_1fr] md:gap-4"
                  >
                    <Link
                      className="mr-3 self-start font-medium underline decoration-rule underline-offset-4"
                      to={`/catalogue/${d.key}/${r.version}`}
                    >
                      {r.version}
                    </Link>
                    <span className="text-soft">
                      {day(r.date)}
                      {r.stage === "pre-release" && " · pre-release"}
                      {r.tier && ` · ${r.tier}`}
                      {r.endOfSupport && ` · until ${day(r.endOfSupport)}`}
                    </span>
                    <span className="flex flex-wrap items-start gap-x-5">
                      {editions.map((e) => {
                        const key = editionKey(e);
                        return (
                          <Link
                            key={key}
                            to={all.reviewed.has(key) ? `/edition/${key}` : `/catalogue/${key}`}
                            className="act"
                          >
                            {editionLabel(e)}
                            {!all.reviewed.has(key) && <span className="font-normal text-soft">, not reviewed</span>}
                          </Link>
                        );
                      })}
                      {edits && editions.length === 0 && (
                        <Link className="act" to={`/catalogue/${d.key}/${r.version}`}>
                          Add an edition
                        </Link>
                      )}
                    </span>
                  </li>
                ))}
                {edits && releases.length === 0 && (
                  <li className="py-1">
                    <Link className="act" to={`/catalogue/${d.key}`}>
                      Add a release
                    </Link>
                  </li>
                )}
              </ul>
            </section>
          </div>
        );
      })}
      <div style={{ height: inView.after }} />
    </div>
  );
}

function Add() {
  const queries = useQueryClient();
  const may = useMay();
  const [adding, setAdding] = useState(false);
  const [key, setKey] = useState("");
  const add = useMutation({
    mutationFn: (body: Distribution) => take(api.POST("/distributions", { body: { ...body, key } })),
    onSuccess: () => (void outdated(queries, "catalogue"), setAdding(false)),
  });
  if (!may("edit-catalogue")) return null;
  if (!adding)
    return (
      <button type="button" className="act mt-6" onClick={() => setAdding(true)}>
        Add a distribution
      </button>
    );
  return (
    <Form
      fields={distributionFields}
      value={{ key: "", name: "", model: "fixed" } as Distribution}
      act="Add the distribution"
      pending={add.isPending}
      error={add.error}
      onSave={(v, saved) => add.mutate(v, { onSuccess: saved })}
      onLeave={() => setAdding(false)}
    >
      <TextField label="Key" hint="such as mossgate" value={key} onChange={setKey} />
    </Form>
  );
}

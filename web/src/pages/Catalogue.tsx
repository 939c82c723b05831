import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take } from "../api";
import { Frame } from "../components/Frame";
import { Empty, Failure, Loading } from "../components/States";
import { day } from "../numbers";
import { Link } from "react-router";

export default function Catalogue() {
  const [wanted, setWanted] = useState("");
  const all = useQuery({
    queryKey: ["catalogue"],
    queryFn: async () => {
      const query = { limit: 1000 };
      const [d, r, e, v] = await Promise.all([
        take(api.GET("/distributions", { params: { query } })),
        take(api.GET("/releases", { params: { query } })),
        take(api.GET("/editions", { params: { query } })),
        take(api.GET("/reviews", { params: { query: { ...query, state: "accepted" } } })),
      ]);
      return { distributions: d.distributions, releases: r.releases, editions: e.editions, reviewed: new Set(v.reviews.map((x) => x.edition)) };
    },
  });
  return (
    <Frame title="Catalogue">
      <h1>Catalogue</h1>
      {all.isPending ? (
        <Loading what="the catalogue" />
      ) : all.isError ? (
        <Failure error={all.error} again={() => all.refetch()} />
      ) : (
        <>
          <p className="text-[13px] text-soft">
            {all.data.distributions.length} distributions in alphabetical order, which is no ranking · {all.data.releases.length} releases · {all.data.editions.length} editions
          </p>
          <label className="my-3 block max-w-sm">
            <span className="sr-only">Find a distribution, desktop or base</span>
            <input className="field w-full" type="search" placeholder="Find a distribution, desktop or base" value={wanted} onChange={(e) => setWanted(e.target.value)} />
          </label>
          <Ledger {...all.data} wanted={wanted.toLowerCase()} />
        </>
      )}
    </Frame>
  );
}

type Data = {
  distributions: { key: string; name: string; model: string; family?: string[]; aim?: string }[];
  releases: { distribution: string; version: string; date: string; tier?: string; endOfSupport?: string }[];
  editions: { distribution: string; release: string; key: string; desktop?: string; purpose?: string; profile?: string }[];
  reviewed: Set<string>;
};

function Ledger({ distributions, releases, editions, reviewed, wanted }: Data & { wanted: string }) {
  const shown = distributions.filter((d) =>
    [d.name, ...(d.family ?? []), d.model, ...editions.filter((e) => e.distribution === d.key).map((e) => e.desktop ?? "")].some((text) => text.toLowerCase().includes(wanted)),
  );
  if (shown.length === 0) return <Empty>Nothing in the catalogue is called that.</Empty>;
  return (
    <>
      {shown.map((d) => (
        <section key={d.key} className="mt-5 border-l border-accent pl-4">
          <h2>{d.name}</h2>
          <p className="text-[13px] text-soft">
            {d.model}
            {d.family?.length ? `, built on ${d.family.join(", which is built on ")}` : ""}
            {d.aim && ` · “${d.aim}”`}
          </p>
          <ul>
            {releases
              .filter((r) => r.distribution === d.key)
              .toReversed()
              .map((r) => (
                <li key={r.version} className="border-b border-rule py-1 md:grid md:grid-cols-[8rem_20rem_1fr] md:gap-4">
                  <span className="mr-3 font-medium">{r.version}</span>
                  <span className="text-soft">
                    {day(r.date)}
                    {r.tier && ` · ${r.tier}`}
                    {r.endOfSupport && ` · until ${day(r.endOfSupport)}`}
                  </span>
                  <span className="flex flex-wrap items-start gap-x-5">
                    {editions
                      .filter((e) => e.distribution === d.key && e.release === r.version)
                      .map((e) => {
                        const key = `${e.distribution}/${e.release}/${e.key}`;
                        const label = [e.desktop || e.key, e.purpose, e.profile === "minimal" ? "minimal" : ""].filter(Boolean).join(" ");
                        return reviewed.has(key) ? (
                          <Link key={key} to={`/edition/${key}`} className="act">
                            {label}
                          </Link>
                        ) : (
                          <span key={key} className="text-soft">
                            {label}, not reviewed
                          </span>
                        );
                      })}
                  </span>
                </li>
              ))}
          </ul>
        </section>
      ))}
    </>
  );
}

import { useInfiniteQuery } from "@tanstack/react-query";
import { Link, useSearchParams } from "react-router";
import { api, take, type Schemas } from "../../api";
import { changeSorts } from "../../changeSorts";
import { Choice } from "../../components/Choice";
import { Sideways } from "../../components/Sideways";
import { Empty, Failure, Loading } from "../../components/States";
import { sourceKey } from "../../keys";
import { usePeople } from "../../lists";
import { moment } from "../../numbers";
import { useMay } from "../../session";
import { Around } from "./Around";
import { failed } from "../../failed";

type Entry = Schemas["AuditEntry"];

const sorts = [...changeSorts, "mapping", "file", "session", "export", "backup"];

const ways: Record<string, string> = {
  console: "console",
  client: "client",
  api: "API",
  command: "command on the machine",
  service: "the service itself",
};

const atOnce = 100;

/** Who did what: all of it for administrators, the history of one review or report for leads. */
export default function AuditPage() {
  const [search] = useSearchParams();
  const may = useMay();
  const sort = search.get("sort") ?? "";
  const subject = search.get("subject") ?? "";
  const one = subject !== "" && (sort === "review" || sort === "report");
  return (
    <Around title={one ? "History" : "Audit"}>
      <h1>{one ? `History of the ${sort}` : "Audit"}</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        {one ? "Everything that was done, newest first." : "Who did what, and from where, newest first."} Nothing can be
        removed unnoticed: each entry has a hash over itself and the entry before.
      </p>
      {may("see-audit") || (one && may("see-history")) ? (
        <>
          {may("see-audit") && <Filters />}
          <List />
        </>
      ) : (
        <Empty>
          {one ? "Only a lead or an administrator can see the history." : "Only an administrator can see who did what."}
        </Empty>
      )}
    </Around>
  );
}

function Filters() {
  const [search, setSearch] = useSearchParams();
  const people = usePeople();
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { preventScrollReset: true });
  };
  return (
    <div className="mt-3 flex flex-wrap items-end gap-x-6 gap-y-2">
      <Choice
        label="Who"
        value={search.get("by") ?? ""}
        onChange={(v) => set("by", v)}
        options={[
          { value: "", label: "anybody" },
          ...(people.data ?? []).map((p) => ({ value: p.name, label: p.title })),
        ]}
      />
      <Choice
        label="Kind of object"
        value={search.get("sort") ?? ""}
        onChange={(v) => set("sort", v)}
        options={[{ value: "", label: "anything" }, ...sorts.map((s) => ({ value: s, label: s }))]}
      />
      {(["from", "to"] as const).map((name) => (
        <label key={name}>
          <span className="block text-[13px] text-soft">{name === "from" ? "From" : "Before"}</span>
          <input
            className="field"
            type="date"
            value={search.get(name) ?? ""}
            onChange={(e) => set(name, e.target.value)}
          />
        </label>
      ))}
      {search.get("subject") && (
        <p className="text-[13px] text-soft">
          Only {search.get("subject")}{" "}
          <button type="button" className="act" onClick={() => set("subject", "")}>
            Show all
          </button>
        </p>
      )}
    </div>
  );
}

const midnight = (day: string | null) => (day ? `${day}T00:00:00Z` : undefined);

function List() {
  const [search] = useSearchParams();
  const query = {
    by: search.get("by") ?? undefined,
    sort: search.get("sort") ?? undefined,
    subject: search.get("subject") ?? undefined,
    from: midnight(search.get("from")),
    to: midnight(search.get("to")),
  };
  const entries = useInfiniteQuery({
    queryKey: sourceKey("audit", query),
    queryFn: ({ pageParam }) =>
      take(api.GET("/audit", { params: { query: { ...query, before: pageParam, limit: atOnce } } })).then(
        (l) => l.entries,
      ),
    initialPageParam: undefined as number | undefined,
    getNextPageParam: (page) => (page.length < atOnce ? undefined : page.at(-1)?.number),
  });
  if (failed(entries)) return <Failure error={entries.error} again={() => void entries.refetch()} />;
  if (entries.isPending) return <Loading what="the audit trail" />;
  const all = entries.data.pages.flat();
  if (all.length === 0) return <Empty>There are no such entries.</Empty>;
  return (
    <>
      <Sideways label="Entries">
        <table className="ledger mt-3 text-[13px]">
          <thead>
            <tr>
              <th className="num margin">Entry</th>
              <th>When</th>
              <th>Who</th>
              <th>Did what</th>
              <th>What changed</th>
              <th>From</th>
            </tr>
          </thead>
          <tbody>
            {all.map((e) => (
              <tr key={e.number}>
                <td className="num margin" title={`SHA-256 ${e.hash}`}>
                  {e.number}
                </td>
                <td className="whitespace-nowrap">{moment(e.at)}</td>
                <td>{e.by ? <Link to={`/team/people/${e.by}`}>{e.by}</Link> : "–"}</td>
                <td className="min-w-[9rem]">
                  {e.action}: <Subject of={e} />
                </td>
                <td className="max-md:min-w-[15rem] max-w-[34rem]">
                  <Changes of={e} />
                </td>
                <td className="whitespace-nowrap">
                  {ways[e.way] ?? e.way}
                  {e.address && <span className="block text-soft">{e.address}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
      {entries.hasNextPage && (
        <button
          type="button"
          className="act mt-3"
          disabled={entries.isFetchingNextPage}
          onClick={() => void entries.fetchNextPage()}
        >
          Older entries
        </button>
      )}
    </>
  );
}

/** Where what an entry is about can be looked at. */
function addressOf({ sort, subject }: Entry): string | undefined {
  if (!subject || subject === "*") return undefined;
  switch (sort) {
    case "review":
      return `/desk/${subject}`;
    case "report":
      return `/reports/${subject}/history`;
    case "person":
      return `/team/people/${subject}`;
    case "catalogue":
      return `/catalogue/${subject}`;
    case "rig":
      return `/rigs/${subject}`;
    case "checklist":
      return "/checklist/versions";
    case "proposal":
      return `/checklist/proposals/${subject}`;
    case "plan":
      return `/team/plans/${subject}`;
    case "known-issue":
      return "/known-issues";
    case "policy":
      return "/team/settings";
    case "queue":
      return "/team";
    default:
      return undefined;
  }
}

function Subject({ of: e }: { of: Entry }) {
  const to = addressOf(e);
  const says = `${e.sort} ${e.subject === "*" || e.sort === "session" ? "" : e.subject}`.trim();
  return to ? (
    <Link className="act" to={to}>
      {says}
    </Link>
  ) : (
    <span className="break-all">{says}</span>
  );
}

function Changes({ of: e }: { of: Entry }) {
  if (e.erased) return <span className="text-soft">erased</span>;
  return (
    <>
      {e.detail && <span className="block break-words">{e.detail}</span>}
      {e.fields?.map((f) => (
        <span key={f.field} className="block break-words">
          <span className="text-soft">{f.field}:</span> <bdi>{f.before || "–"}</bdi> → <bdi>{f.after || "–"}</bdi>
        </span>
      ))}
    </>
  );
}

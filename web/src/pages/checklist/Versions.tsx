import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useSearchParams } from "react-router";
import { api, take } from "../../api";
import { fetchVersion, nameOf, pathOf, useVersions, type Summary } from "../../checklists";
import { Choice } from "../../components/Choice";
import { Sideways } from "../../components/Sideways";
import { Failure, Loading, Wrong } from "../../components/States";
import { moment } from "../../numbers";
import { Around } from "./Around";
import { Carry } from "./Carry";
import { Changing } from "./Changing";
import { Difference } from "./Difference";
import { outdated, sourceKey } from "../../keys";
import { removeSoon, useRemovals } from "../../removals";
import { useMay } from "../../session";
import { failed } from "../../failed";

export default function VersionsPage() {
  const versions = useVersions();
  return (
    <Around title="Versions of the checklist">
      {failed(versions) ? (
        <Failure error={versions.error} again={() => versions.refetch()} />
      ) : !versions.data ? (
        <Loading what="the versions" />
      ) : (
        <Body versions={versions.data} />
      )}
    </Around>
  );
}

function Body({ versions }: { versions: Summary[] }) {
  const lead = useMay()("edit-checklist");
  const [search, setSearch] = useSearchParams();
  const names = versions.map(nameOf);
  const last = versions.findLast((v) => v.state === "in-force");
  const newest =
    last && versions.some((v) => v.key === last.key && v.version < last.version && v.state !== "draft")
      ? nameOf(last)
      : undefined;
  const newer = search.get("to") ?? names.at(-1) ?? "";
  const older =
    search.get("from") ??
    versions
      .filter((v) => nameOf(v) !== newer && v.key === pathOf(newer).checklist && v.version < pathOf(newer).version)
      .map(nameOf)
      .at(-1) ??
    "";
  const choose = (change: Record<string, string>) =>
    setSearch({ from: older, to: newer, ...change }, { preventScrollReset: true });
  const difference = useQuery({
    queryKey: sourceKey("difference", older, newer),
    enabled: !!older && !!newer && pathOf(older).checklist === pathOf(newer).checklist,
    queryFn: () =>
      take(
        api.GET("/checklists/{checklist}/{version}/difference/{older}", {
          params: { path: { ...pathOf(newer), older: pathOf(older).version } },
        }),
      ),
  });
  const removed = new Set(useRemovals().map((r) => r.key));
  return (
    <>
      <h1>Versions</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        A review stays on the version that it was made with. Readers see the shown version unless they choose another.
        Putting a version in force does not show it to readers.
      </p>
      <Sideways label="Versions">
        <table className="ledger my-3">
          <thead>
            <tr>
              <th className="margin w-[130px]">Version</th>
              <th>Title</th>
              <th>State</th>
              <th className="num">Criteria</th>
              <th>In force since</th>
              <th>{lead && "Actions of a lead"}</th>
            </tr>
          </thead>
          <tbody>
            {versions
              .filter((v) => !removed.has(removalKey(nameOf(v))))
              .map((v) => (
                <tr key={nameOf(v)} data-chosen={v.shown}>
                  <td className="margin">
                    <Link className="font-serif font-semibold hover:underline" to={`/checklist?checklist=${nameOf(v)}`}>
                      {nameOf(v)}
                    </Link>
                  </td>
                  <td className="min-w-[8rem]">{v.title}</td>
                  <td>
                    {v.state === "in-force" ? "in force" : v.state}
                    {v.shown && <strong className="font-semibold">, shown</strong>}
                  </td>
                  <td className="num">{v.criteria}</td>
                  <td className="whitespace-nowrap">{v.inForce ? moment(v.inForce) : "–"}</td>
                  <td>{lead && <Acts version={v} versions={versions} />}</td>
                </tr>
              ))}
          </tbody>
        </table>
      </Sideways>
      {lead && <Draft versions={versions} />}
      {versions.map((v) => v.changeover?.newer && <Changing key={nameOf(v)} shown={v} />)}
      {lead && newest && <Carry key={newest} to={newest} />}
      {names.length > 1 && (
        <section className="mt-8">
          <h2 className="flex flex-wrap items-baseline gap-4 border-b border-ink pb-1">
            What changed
            <span className="flex flex-wrap gap-4 font-sans text-[13px] font-normal">
              <Choice
                label="from"
                value={older}
                onChange={(from) => choose({ from })}
                options={names.map((n) => ({ value: n, label: n }))}
              />
              <Choice
                label="to"
                value={newer}
                onChange={(to) => choose({ to })}
                options={names.map((n) => ({ value: n, label: n }))}
              />
            </span>
          </h2>
          {failed(difference) ? (
            <Failure error={difference.error} />
          ) : difference.data ? (
            <Difference of={difference.data} />
          ) : (
            <Loading what="the difference" />
          )}
        </section>
      )}
    </>
  );
}

/** Makes a draft of the next version, where there is none yet. */
function Draft({ versions }: { versions: Summary[] }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const base = versions.findLast((v) => v.state === "in-force");
  const draft = versions.find((v) => v.state === "draft" && v.key === base?.key);
  const make = useMutation({
    mutationFn: async () => {
      const { data } = await fetchVersion(nameOf(base!));
      return take(
        api.POST("/checklists", {
          body: {
            ...data,
            version: Math.max(...versions.filter((v) => v.key === data.key).map((v) => v.version)) + 1,
            state: "draft",
          },
        }),
      );
    },
    onSuccess: (made) => {
      outdated(queries, "checklists");
      navigate(`/checklist/edit/${nameOf(made)}`);
    },
  });
  if (!base || draft) return null;
  return (
    <p>
      <button type="button" className="main-act" disabled={make.isPending} onClick={() => make.mutate()}>
        Draft version {Math.max(...versions.filter((v) => v.key === base.key).map((v) => v.version)) + 1}
      </button>
      {make.error && <Failure error={make.error} />}
    </p>
  );
}

const removalKey = (name: string) => `checklist ${name}`;

/** Something that a lead does with a version; what can be undone does not ask. */
type Step = { say: string; ask?: string; run: () => Promise<unknown> };

function Acts({ version: v, versions }: { version: Summary; versions: Summary[] }) {
  const queries = useQueryClient();
  const [asked, setAsked] = useState<Step>();
  const name = nameOf(v);
  const toState = async (state: "in-force" | "retired") => {
    const { data, etag } = await fetchVersion(name);
    return take(
      api.PUT("/checklists/{checklist}/{version}", {
        params: { path: pathOf(name), header: { "If-Match": etag } },
        body: { ...data, state },
      }),
    );
  };
  const remove = async () => {
    const { etag } = await fetchVersion(name); // now, since a page that closes has no time to ask
    removeSoon(removalKey(name), `the draft ${name}`, async () => {
      await take(
        api.DELETE("/checklists/{checklist}/{version}", {
          params: { path: pathOf(name), header: { "If-Match": etag } },
          keepalive: true,
        }),
      );
      await queries.invalidateQueries();
    });
  };
  const show = () =>
    take(
      api.PUT("/checklists/{checklist}/shown", {
        params: { path: { checklist: v.key } },
        body: { version: v.version },
      }),
    );
  const act = useMutation({
    mutationFn: (step: Step) => step.run(),
    onSuccess: () => {
      setAsked(undefined);
      queries.invalidateQueries();
    },
  });
  const steps: Step[] = [];
  if (v.state === "draft")
    steps.push(
      {
        say: "Put in force",
        ask: `Put ${name} in force? It can then no longer be changed, and new reviews use it. Readers keep the version that has results.`,
        run: () => toState("in-force"),
      },
      { say: "Remove", run: remove },
    );
  if (v.state !== "draft" && !v.shown)
    steps.push({ say: "Show", ask: `Show ${name} to readers who choose no version?`, run: show });
  if (
    v.state === "in-force" &&
    versions.some((o) => o.key === v.key && o.state === "in-force" && o.version > v.version)
  )
    steps.push({
      say: "Retire",
      ask: `Retire ${name}? Its reviews are kept. No new reviews use it.`,
      run: () => toState("retired"),
    });
  return (
    <span className="flex flex-wrap items-baseline gap-4">
      {asked ? (
        <>
          <span>{asked.ask}</span>
          <button type="button" className="act" disabled={act.isPending} onClick={() => act.mutate(asked)}>
            Yes
          </button>
          <button type="button" className="act" onClick={() => (setAsked(undefined), act.reset())}>
            No
          </button>
        </>
      ) : (
        <>
          {v.state === "draft" && (
            <Link className="act" to={`/checklist/edit/${name}`}>
              Edit
            </Link>
          )}
          {steps.map((s) => (
            <button key={s.say} type="button" className="act" onClick={() => (s.ask ? setAsked(s) : act.mutate(s))}>
              {s.say}
            </button>
          ))}
        </>
      )}
      {act.error && (
        <span role="alert" className="text-accent">
          {act.error.message} <Wrong error={act.error} />
        </span>
      )}
    </span>
  );
}

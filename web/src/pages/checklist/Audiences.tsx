import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take } from "../../api";
import { titleIn, titleOf, useChecklist, type Checklist } from "../../checklist";
import { fetchVersion, nameOf, pathOf, sectionShares, useVersions, type Audience } from "../../checklists";
import { Choice } from "../../components/Choice";
import { TextField } from "../../components/Fields";
import { Shares } from "../../components/Shares";
import { Sideways } from "../../components/Sideways";
import { Refused } from "../../components/States";
import { moment, rounded } from "../../numbers";
import { useView } from "../../view";
import { Around } from "./Around";
import { AudienceForm } from "./AudienceForm";
import { sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";
import { Answered } from "../../components/Answered";
import { NoChecklist } from "./NoChecklist";

export default function AudiencesPage() {
  const view = useView();
  const versions = useVersions();
  const shown = versions.data?.find((v) => v.shown) ?? versions.data?.at(-1);
  const list = useChecklist(view.checklist || (shown && nameOf(shown)));
  return (
    <Around title="Audiences">
      <Answered of={[versions, list]} what="the audiences" none={<NoChecklist />}>
        {(all, checklist) => <Body list={checklist} view={view} names={all.map(nameOf)} />}
      </Answered>
    </Around>
  );
}

function Body({ list, view, names }: { list: Checklist; view: ReturnType<typeof useView>; names: string[] }) {
  const lead = useMay()("edit-checklist");
  const [editing, setEditing] = useState<Audience>();
  const everybody = { key: "", title: "everybody (default)" };
  const frozen = list.state !== "draft";
  return (
    <>
      <h1>Audiences</h1>
      <p className="max-w-[70ch] text-[13px] text-soft">
        The same results with other weights and gates. Shares add up to 100 %. What an audience does not name stays as
        in the checklist. The default weights are for everybody.
      </p>
      <p className="my-3 text-[13px]">
        <Choice
          label="Version"
          value={nameOf(list)}
          onChange={(checklist) => view.set({ checklist })}
          options={names.map((n) => ({ value: n, label: n }))}
        />
      </p>
      <Sideways label="Audiences">
        <table className="ledger">
          <thead>
            <tr>
              <th className="margin w-[170px]">For</th>
              <th className="min-w-[320px]">Shares of the sections</th>
              <th>Own weights within sections</th>
              <th>Gates</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {[everybody as Audience, ...(list.audiences ?? [])].map((a) => (
              <tr key={a.key} className="align-top">
                <td className="margin">
                  <Link
                    className="font-serif font-semibold hover:underline"
                    to={`/?${new URLSearchParams(a.key ? { audience: a.key, checklist: nameOf(list) } : { checklist: nameOf(list) })}`}
                  >
                    {titleOf(a)}
                  </Link>
                </td>
                <td>
                  <Shares sections={list.sections} shares={sectionShares(list, a.key ? a : undefined)} />
                </td>
                <td className="max-md:min-w-[15rem] text-[13px]">
                  {Object.entries(a.criteria ?? {})
                    .map(([key, w]) => `${titleIn(list, key)} ${rounded(w, 1).replace(/\.0$/, "")}`)
                    .join(", ")}
                </td>
                <td className="max-md:min-w-[15rem] text-[13px]">{musts(list, a)}</td>
                <td>
                  {lead && frozen && a.key && (
                    <button type="button" className="act" onClick={() => setEditing(structuredClone(a))}>
                      Revise
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </Sideways>
      {lead && frozen && !editing && (
        <p className="mt-3">
          <button type="button" className="act" onClick={() => setEditing({ key: "" })}>
            Add an audience
          </button>
        </p>
      )}
      {lead && !frozen && (
        <p className="mt-3">
          <Link className="act" to={`/checklist/edit/${nameOf(list)}`}>
            This version is a draft: edit its audiences in the draft
          </Link>
        </p>
      )}
      {editing && <Revise key={editing.key} list={list} audience={editing} done={() => setEditing(undefined)} />}
      {frozen && <Revisions list={list} />}
    </>
  );
}

function musts(list: Checklist, a: Audience): string {
  return list.sections
    .flatMap((s) => s.criteria)
    .flatMap((c) => {
      const gate = a.gates?.[c.key] ?? c.gate;
      return gate == null ? [] : [`${titleOf(c)} ${gate}`];
    })
    .join(", ");
}

function Revise({ list, audience, done }: { list: Checklist; audience: Audience; done: () => void }) {
  const queries = useQueryClient();
  const [a, setA, dropAudience] = useDraft(`audience ${audience.key}`, audience);
  const [reason, setReason, dropReason] = useDraft(`reason ${audience.key}`, "");
  const fresh = !audience.key;
  const [based] = useState(() => fetchVersion(nameOf(list)).then((v) => v.etag)); // what was seen when the form was opened
  const save = useMutation({
    mutationFn: async () => {
      const etag = await based;
      return take(
        api.PUT("/checklists/{checklist}/{version}/audiences/{audience}", {
          params: { path: { ...pathOf(nameOf(list)), audience: a.key }, header: { "If-Match": etag } },
          body: { audience: a, reason },
        }),
      );
    },
    onSuccess: () => (dropAudience(), dropReason(), queries.invalidateQueries(), done()),
  });
  const change = (make: (a: Audience) => void) =>
    setA((old) => {
      const next = structuredClone(old);
      make(next);
      return next;
    });
  return (
    <section className="mt-6 grid max-w-[820px] gap-3 border-l-2 border-accent pl-4">
      <h2>{fresh ? "A new audience" : `Revise ${titleOf(audience)}`}</h2>
      {fresh && (
        <TextField
          label="Key"
          hint="cannot be changed later"
          value={a.key}
          onChange={(key) => change((a) => void (a.key = key))}
        />
      )}
      <AudienceForm audience={a} list={list} change={change} />
      <TextField label="Why" hint="saved with the revision" value={reason} onChange={setReason} />
      <Refused error={save.error} />
      <p className="flex items-baseline gap-5">
        <button type="button" className="main-act" disabled={!a.key || save.isPending} onClick={() => save.mutate()}>
          Save
        </button>
        <button type="button" className="act" onClick={done}>
          Cancel
        </button>
      </p>
    </section>
  );
}

function Revisions({ list }: { list: Checklist }) {
  const revisions = useQuery({
    queryKey: sourceKey("audiences", nameOf(list)),
    queryFn: () =>
      take(api.GET("/checklists/{checklist}/{version}/audiences", { params: { path: pathOf(nameOf(list)) } })),
  });
  const later = (revisions.data?.revisions ?? []).filter((r) => r.revision > 1 || r.dropped || r.reason);
  if (later.length === 0) return null;
  return (
    <section className="mt-8">
      <h2 className="border-b border-ink pb-1">Revisions since the version came into force</h2>
      <ul>
        {later.map((r) => (
          <li key={r.audience.key + r.revision} className="border-b border-rule py-1 text-[13px]">
            <span className="font-medium">{titleOf(r.audience)}</span>, revision {r.revision}
            {r.dropped && " (dropped)"} · {r.person}, {moment(r.created)}
            {r.reason && `: ${r.reason}`}
          </li>
        ))}
      </ul>
    </section>
  );
}

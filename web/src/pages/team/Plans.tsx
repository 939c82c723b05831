import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { titleIn, titleOf, useChecklist, type Checklist } from "../../checklist";
import { nameOf, useVersions } from "../../checklists";
import { Choice } from "../../components/Choice";
import { EditionLabel } from "../../components/Edition";
import { linesOf, NumberField, TextField } from "../../components/Fields";
import { Failure, Loading, Refused } from "../../components/States";
import { counted, day } from "../../numbers";
import { Around } from "./Around";
import { Sideways } from "../../components/Sideways";
import { Combobox } from "../../components/Combobox";
import { useRigs } from "../../lists";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useDraft } from "../../drafts";
import { failed } from "../../failed";

type Plan = Schemas["ComparisonPlan"];
type View = Schemas["PlanView"];

export default function PlansPage() {
  return (
    <Around title="Comparison plans">
      <List />
    </Around>
  );
}

function List() {
  const plans = useQuery({ queryKey: sourceKey("plans"), queryFn: () => take(api.GET("/plans")) });
  const may = useMay();
  if (plans.isPending) return <Loading what="plans" />;
  if (failed(plans)) return <Failure error={plans.error} again={() => plans.refetch()} />;
  return (
    <>
      <h1>Comparison plans</h1>
      <p className="mt-1 text-[13px] text-soft">Newest first.</p>
      {may("plan-reviews") && (
        <p className="my-3">
          <Link className="main-act" to="/team/plans/new">
            Plan a comparison
          </Link>
        </p>
      )}
      {plans.data.plans.length === 0 && (
        <p className="text-soft">
          No plans yet. A plan names the question, the contenders and what is kept equal before anybody measures.
        </p>
      )}
      <ul>
        {plans.data.plans.map((p) => (
          <li key={p.id} className="border-b border-rule py-2">
            <Link className="font-serif text-[16px] font-semibold hover:underline" to={`/team/plans/${p.id}`}>
              {p.title}
            </Link>
            <span className="block">{p.question}</span>
            <span className="text-[13px] text-soft">
              {p.contenders} contenders · {p.state} · {p.person}, {day(p.created)}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}

const states = {
  done: "done",
  begun: "begun",
  "not-tested": "not tested",
  "not-applicable": "n/a",
  open: "open",
} as const;

/** What a plan would waste, and what has been done of it. */
function Standing({ view, list }: { view: View; list: Checklist | undefined }) {
  return (
    <>
      {view.warnings.length > 0 && (
        <section className="mt-4 border-l-2 border-accent pl-4">
          <h2>To resolve first</h2>
          <ul className="list-disc pl-4">
            {view.warnings.map((w, i) => (
              <li key={i}>{w.says}</li>
            ))}
          </ul>
        </section>
      )}
      <section className="mt-5">
        <h2>Progress</h2>
        <Sideways label="Progress">
          <table className="ledger">
            <thead>
              <tr>
                <th className="stay margin">Criterion</th>
                <th>Rig</th>
                {view.plan.contenders.map((c) => (
                  <th key={c.edition}>
                    {view.names[c.edition] ? <EditionLabel name={view.names[c.edition]} /> : c.edition}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {view.plan.criteria.flatMap((key) =>
                view.plan.rigs.map((rig) => (
                  <tr key={`${key} ${rig}`}>
                    <th scope="row" className="stay margin">
                      {titleIn(list, key)}
                    </th>
                    <td>{rig}</td>
                    {view.plan.contenders.map((c) => {
                      const d = view.matrix.find(
                        (x) => x.edition === c.edition && x.criterion === key && x.rig === rig,
                      );
                      return (
                        <td key={c.edition} className={d?.state === "done" ? "" : "text-soft"}>
                          {d && (d.state === "done" ? "✓ done" : states[d.state])}
                          {!!d?.wanted && d.runs > 0 && (
                            <span className="text-[12px]">
                              {" "}
                              {d.runs} of {d.wanted}
                            </span>
                          )}
                        </td>
                      );
                    })}
                  </tr>
                )),
              )}
            </tbody>
          </table>
        </Sideways>
      </section>
    </>
  );
}

export function PlanPage() {
  const { id = "" } = useParams();
  return (
    <Around title="Comparison plan">
      <Show id={id} />
    </Around>
  );
}

function Show({ id }: { id: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const plan = useQuery({
    queryKey: sourceKey("plan", id),
    queryFn: () => takeWhole(api.GET("/plans/{id}", { params: { path: { id } } })),
  });
  const list = useChecklist(plan.data?.data.plan.checklist);
  const change = useMutation({
    mutationFn: (state: Schemas["PlanState"]) =>
      take(
        api.PUT("/plans/{id}", {
          params: { path: { id }, query: { state }, header: { "If-Match": plan.data!.etag } },
          body: plan.data!.data.plan,
        }),
      ),
    onSettled: () => outdated(queries, sourceKey("plan", id)),
  });
  const open = useMutation({
    mutationFn: (rig: string) => take(api.POST("/plans/{id}/sessions", { params: { path: { id } }, body: { rig } })),
    onSuccess: (b) => navigate(`/bench/${b.session.id}`),
  });
  const review = useMutation({
    mutationFn: (edition: string) =>
      take(api.POST("/reviews", { body: { edition, checklist: plan.data!.data.plan.checklist } })),
    onSettled: () => outdated(queries, sourceKey("plan", id)),
  });
  if (plan.isPending) return <Loading what="the plan" />;
  if (failed(plan)) return <Failure error={plan.error} again={() => plan.refetch()} />;
  const v = plan.data.data;
  const p = v.plan;
  const writes = v.may.includes("edit");
  const refusal = [change, open, review].find((m) => m.error)?.error;
  return (
    <>
      <h1>{p.title}</h1>
      <p className="mt-1 text-[16px]">{p.question}</p>
      <p className="text-[13px] text-soft">
        {v.state} · {v.person}, {day(v.created)} · {p.checklist}
        {p.asks && ` · about the ${p.asks}`}
        {!!p.equal?.length && ` · kept equal: ${p.equal.join(", ")}`}
        {!!p.held?.length && `; ${p.held.join("; ")}`}
        {!!p.leftOut?.length && ` · left out: ${p.leftOut.join("; ")}`}
        {!!p.runs && ` · ${counted(p.runs, "run")}`}
      </p>
      <ul className="mt-3">
        {p.contenders.map((c) => (
          <li key={c.edition} className="flex flex-wrap items-baseline gap-x-4 border-b border-rule py-1">
            <span>{v.names[c.edition] ? <EditionLabel name={v.names[c.edition]} /> : c.edition}</span>
            <span className="text-soft">{c.why}</span>
            {v.reviews[c.edition] ? (
              <Link className="act ml-auto" to={`/desk/${v.reviews[c.edition]}`}>
                Its review
              </Link>
            ) : (
              writes && (
                <button
                  type="button"
                  className="act ml-auto"
                  onClick={() => review.mutate(c.edition)}
                  disabled={review.isPending}
                >
                  Plan its review
                </button>
              )
            )}
          </li>
        ))}
      </ul>
      <Refused error={refusal} className="my-2" />
      <Standing view={v} list={list.data} />
      <section className="mt-5">
        <h2>Bench sessions</h2>
        <ul>
          {v.sessions.map((s) => (
            <li key={s.id} className="border-b border-rule py-1">
              <Link className="act" to={`/bench/${s.id}`}>
                On {s.rig}
              </Link>{" "}
              <span className="text-soft">
                {s.person}, {day(s.started)}, seed {s.seed}
                {s.closed && !s.closed.startsWith("0001") ? `, closed ${day(s.closed)}` : ""}
              </span>
            </li>
          ))}
        </ul>
        {v.may.includes("open-session") && (
          <p className="mt-2 flex flex-wrap gap-5">
            {p.rigs.map((rig) => (
              <button
                key={rig}
                type="button"
                className="main-act"
                disabled={open.isPending}
                onClick={() => open.mutate(rig)}
              >
                Open a session on {rig}
              </button>
            ))}
          </p>
        )}
      </section>
      {writes && (
        <p className="mt-6 flex gap-6">
          <Link className="act" to={`/team/plans/new?from=${id}`}>
            Change
          </Link>
          {v.state === "open" ? (
            <>
              <button type="button" className="act" onClick={() => change.mutate("done")}>
                Mark as done
              </button>
              <button type="button" className="act" onClick={() => change.mutate("dropped")}>
                Drop the plan
              </button>
            </>
          ) : (
            <button type="button" className="act" onClick={() => change.mutate("open")}>
              Reopen
            </button>
          )}
        </p>
      )}
    </>
  );
}

export function PlanEditorPage() {
  const [search] = useSearchParams();
  const from = search.get("from") ?? "";
  const old = useQuery({
    queryKey: sourceKey("plan", from),
    enabled: !!from,
    queryFn: () => takeWhole(api.GET("/plans/{id}", { params: { path: { id: from } } })),
  });
  return (
    <Around title="Plan a comparison">
      {from && old.isPending ? (
        <Loading what="the plan" />
      ) : failed(old) ? (
        <Failure error={old.error} />
      ) : (
        <Editor
          key={old.data?.etag}
          id={from}
          etag={old.data?.etag}
          state={old.data?.data.state}
          plan={old.data?.data.plan}
        />
      )}
    </Around>
  );
}

const attributes = ["desktop", "base", "model", "tier", "architecture", "profile", "purpose"] as const;

function Editor({ id, etag, state, plan }: { id: string; etag?: string; state?: Schemas["PlanState"]; plan?: Plan }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const versions = useVersions();
  const inForce = versions.data?.findLast((v) => v.state === "in-force");
  const [p, setP, saved] = useDraft<Plan>(
    "plan",
    plan ?? { title: "", question: "", contenders: [], criteria: [], rigs: [] },
  );
  const list = useChecklist(p.checklist ?? (inForce && nameOf(inForce)));
  const rigs = useRigs();
  const [next, setNext] = useState("");
  const set = (change: Partial<Plan>) => setP({ ...p, ...change });
  const toggle = (of: string[] | undefined, key: string) =>
    of?.includes(key) ? of.filter((k) => k !== key) : [...(of ?? []), key];
  // While they are typed, lines may be empty.
  const body = { ...p, held: linesOf((p.held ?? []).join("\n")), leftOut: linesOf((p.leftOut ?? []).join("\n")) };
  const trial = useMutation({ mutationFn: () => take(api.POST("/plans/trial", { body })) });
  const save = useMutation({
    mutationFn: () =>
      id
        ? take(
            api.PUT("/plans/{id}", {
              params: { path: { id }, query: { state }, header: { "If-Match": etag ?? "" } },
              body,
            }),
          )
        : take(api.POST("/plans", { body })),
    onSuccess: (v) => {
      saved();
      void outdated(queries, "plans");
      void outdated(queries, sourceKey("plan", v.id));
      navigate(`/team/plans/${v.id}`);
    },
  });
  const add = (edition = next) => {
    if (edition && !p.contenders.some((c) => c.edition === edition))
      set({ contenders: [...p.contenders, { edition }] });
    setNext("");
  };
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate();
  };
  const refusal = [save, trial].find((m) => m.error)?.error;
  const missing = [versions, rigs].find(failed);
  if (missing) return <Failure error={missing.error} again={() => void missing.refetch()} />;
  const boxes = (
    label: string,
    chosen: string[] | undefined,
    all: { key: string; title: string }[],
    onChange: (keys: string[]) => void,
  ) => (
    <fieldset className="mt-3">
      <legend className="text-[13px] text-soft">{label}</legend>
      <span className="flex flex-wrap gap-x-5">
        {all.map((o) => (
          <label key={o.key} className="inline-flex min-h-[26px] items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={!!chosen?.includes(o.key)}
              onChange={() => onChange(toggle(chosen, o.key))}
            />
            {o.title}
          </label>
        ))}
      </span>
    </fieldset>
  );
  return (
    <form onSubmit={submit} className="max-w-4xl">
      <h1>{id ? "Change the plan" : "Plan a comparison"}</h1>
      <div className="mt-3 grid gap-3">
        <TextField label="Title" value={p.title} onChange={(title) => set({ title })} />
        <TextField label="The question" rows={2} value={p.question} onChange={(question) => set({ question })} />
        <Choice
          label="Scope"
          value={p.asks ?? ""}
          options={[{ value: "", label: "everything" }, ...attributes.map((a) => ({ value: a, label: `the ${a}` }))]}
          onChange={(a) => set({ asks: a as Plan["asks"] })}
        />
      </div>
      <h2 className="mt-5">Contenders</h2>
      <ul>
        {p.contenders.map((c, i) => (
          <li
            key={c.edition}
            className="grid grid-cols-[1fr_auto] items-end gap-4 border-b border-rule py-1 md:grid-cols-[18rem_1fr_auto]"
          >
            <span>{c.edition}</span>
            <input
              className="field w-full max-md:order-3 max-md:col-span-2"
              aria-label={`Why ${c.edition}`}
              placeholder="why this one"
              value={c.why ?? ""}
              onChange={(e) =>
                set({ contenders: p.contenders.map((x, n) => (n === i ? { ...x, why: e.target.value } : x)) })
              }
            />
            <button
              type="button"
              className="act"
              onClick={() => set({ contenders: p.contenders.filter((x) => x !== c) })}
            >
              Remove
            </button>
          </li>
        ))}
      </ul>
      <p className="mt-2 flex items-end gap-4">
        <Combobox
          label="Another contender"
          sort="edition"
          without={p.contenders.map((c) => c.edition)}
          value={next}
          onChange={setNext}
          onPick={(found) => add(found.key)}
          onEnter={() => add()}
          placeholder="a few letters of its name"
        />
        <button type="button" className="act" onClick={() => add()}>
          Add
        </button>
      </p>
      {boxes(
        "Kept equal",
        p.equal,
        attributes.filter((a) => a !== p.asks).map((a) => ({ key: a, title: a })),
        (equal) => set({ equal: equal as Plan["equal"] }),
      )}
      <div className="mt-3 grid gap-3 md:grid-cols-2">
        <TextField
          label="Kept equal otherwise"
          hint="one per line"
          rows={2}
          value={(p.held ?? []).join("\n")}
          onChange={(t) => set({ held: t ? t.split("\n") : [] })}
        />
        <TextField
          label="Left out"
          hint="one per line"
          rows={2}
          value={(p.leftOut ?? []).join("\n")}
          onChange={(t) => set({ leftOut: t ? t.split("\n") : [] })}
        />
      </div>
      {boxes(
        "Rigs",
        p.rigs,
        (rigs.data ?? [])
          .filter((r) => !r.retired || p.rigs.includes(r.key))
          .map((r) => ({ key: r.key, title: r.name || r.key })),
        (keys) => set({ rigs: keys }),
      )}
      {list.data?.sections.map((s) => (
        <div key={s.key}>
          {boxes(
            titleOf(s),
            p.criteria,
            s.criteria.map((c) => ({ key: c.key, title: titleOf(c) })),
            (criteria) => set({ criteria }),
          )}
        </div>
      ))}
      <div className="mt-3 w-56">
        <NumberField
          label="Runs of each measure"
          hint="empty: as the criterion expects"
          value={p.runs || undefined}
          onChange={(runs) => set({ runs })}
        />
      </div>
      <p className="mt-4 flex gap-6">
        <button type="submit" className="main-act" disabled={save.isPending}>
          Save the plan
        </button>
        <button type="button" className="act" disabled={trial.isPending} onClick={() => trial.mutate()}>
          Check the plan
        </button>
      </p>
      <Refused error={refusal} className="mt-2" />
      {trial.data && <Standing view={trial.data} list={list.data} />}
    </form>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link, useNavigate, useParams, useSearchParams } from "react-router";
import { Refusal, api, take, takeWhole, type Schemas } from "../../api";
import { findCriterion, titleIn, titleOf, type Checklist } from "../../checklist";
import { fetchVersion, nameOf, pathOf, useVersions } from "../../checklists";
import { TextField } from "../../components/Fields";
import { Empty, Failure, Loading } from "../../components/States";
import { Around } from "./Around";
import { Difference } from "./Difference";
import { Effect } from "./Effect";
import { ListForm } from "./ListForm";
import { Outline, placeOf, placeOfKey, type Place } from "./Outline";
import { PlaceForm } from "./PlaceForm";
import { useTicks } from "./Questions";
import { editsBetween } from "./edits";
import { merge, same } from "../../merge";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import NotFound from "../NotFound";
import { useDraft, useKept } from "../../drafts";
import { failed } from "../../failed";

/** What is being written, kept in the browser until it is saved: nothing typed is lost. */
type Work = { base: Checklist; etag: string; doc: Checklist };

export default function Drafting() {
  return <EditorPage proposing={false} />;
}

export function Proposing() {
  return <EditorPage proposing />;
}

/** Edits a draft, or, where proposing, a copy of the list in force that becomes a proposal. */
function EditorPage({ proposing }: { proposing: boolean }) {
  const { name = "" } = useParams();
  const stored = useQuery({
    queryKey: sourceKey("checklistToEdit", name),
    enabled: /^[^@]+@\d+$/.test(name),
    queryFn: () => fetchVersion(name),
    staleTime: 0,
    gcTime: 0,
  });
  const may = useMay()(proposing ? "propose-changes" : "edit-checklist");
  if (!/^[^@]+@\d+$/.test(name)) return <NotFound />;
  const wrongState = stored.data && (stored.data.data.state === "draft") === proposing;
  return (
    <Around title={proposing ? "Propose a change" : `Draft ${name}`}>
      {failed(stored) ? (
        <Failure error={stored.error} again={() => stored.refetch()} />
      ) : !stored.data ? (
        <Loading what="the checklist" />
      ) : !may ? (
        <Empty>
          {proposing ? "This account cannot propose changes." : "This account cannot edit the draft."}{" "}
          <Link className="act" to={`/sign-in?to=${encodeURIComponent(location.pathname)}`}>
            Sign in
          </Link>
        </Empty>
      ) : wrongState ? (
        <Empty>
          {proposing
            ? `${name} is a draft. A proposal is about a checklist in force.`
            : `${name} is fixed because reviews use it. Changes go into a draft of the next version.`}
        </Empty>
      ) : (
        <Editor key={name} name={name} proposing={proposing} stored={stored.data} />
      )}
    </Around>
  );
}

function Editor({
  name,
  proposing,
  stored,
}: {
  name: string;
  proposing: boolean;
  stored: { data: Checklist; etag: string };
}) {
  const [kept, keep] = useKept<Work>("document");
  const [work, setWork] = useState<Work>(() => kept ?? { base: stored.data, etag: stored.etag, doc: stored.data });
  const [search] = useSearchParams();
  const [place, setPlace] = useState<Place>(
    () => placeOfKey(search.get("criterion") ?? "", stored.data) ?? { on: "list" },
  );
  const [notice, setNotice] = useState("");
  const form = useRef<HTMLElement>(null);
  const choose = (to: Place) => {
    setPlace(to);
    // On a narrow page the form lies below the outline.
    if (window.innerWidth < 1024) requestAnimationFrame(() => form.current?.scrollIntoView());
  };
  const { base, doc } = work;
  const changed = !same(base, doc);
  useEffect(() => keep(changed ? work : undefined), [keep, work, changed]);
  const change = (make: (doc: Checklist) => void) => {
    setNotice("");
    setWork((w) => {
      const next = structuredClone(w.doc);
      make(next);
      return { ...w, doc: next };
    });
  };
  const versions = useVersions();
  const shown = versions.data?.find((v) => v.shown && v.key === doc.key);
  const ticks = useTicks(shown && nameOf(shown));
  const queries = useQueryClient();

  const save = useMutation({
    mutationFn: async (from: typeof work) => {
      let { base, etag, doc } = from;
      for (;;) {
        try {
          const saved = await takeWhole(
            api.PUT("/checklists/{checklist}/{version}", {
              params: { path: pathOf(name), header: { "If-Match": etag } },
              body: doc,
            }),
          );
          return {
            work: { base: saved.data, etag: (await fetchVersion(name)).etag, doc: saved.data },
            sent: from.doc,
            notice: "Saved.",
          };
        } catch (error) {
          if (!(error instanceof Refusal) || error.problem.status !== 412) throw error;
          const theirs = await fetchVersion(name);
          const { merged, conflicts } = merge(base, doc, theirs.data);
          if (conflicts.length)
            return {
              work: { base: theirs.data, etag: theirs.etag, doc: merged },
              sent: from.doc,
              notice: `Somebody else changed the draft too. Their changes are included. Where both of you changed the same item, your change is shown but not saved yet: ${conflicts.join("; ")}. Check it and save again.`,
            };
          [base, etag, doc] = [theirs.data, theirs.etag, merged];
        }
      }
    },
    onSuccess: (done) => {
      // What was typed while the request was under way is based on what was saved.
      setWork((w) => ({ ...done.work, doc: merge(done.sent, w.doc, done.work.doc).merged }));
      setNotice(done.notice);
      outdated(queries, "checklist");
      outdated(queries, "checklists");
    },
  });

  const wrong = save.error instanceof Refusal ? (save.error.problem.errors ?? []) : [];
  return (
    <>
      <div className="sticky top-0 z-10 flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-ink bg-paper py-2">
        <h1 className="mr-auto">
          {proposing ? "Propose a change to" : "Draft"} {titleOf(doc)}, version {doc.version}
        </h1>
        <span role="status" className="text-[13px] text-soft">
          {save.isPending
            ? "Saving…"
            : changed
              ? proposing
                ? `${editsBetween(base, doc).length} edits, saved in this browser only`
                : "changed, saved in this browser only"
              : "saved"}
        </span>
        {changed && (
          <button
            type="button"
            className="act"
            onClick={() => (setWork({ ...work, doc: base }), save.reset(), setNotice(""))}
          >
            Discard
          </button>
        )}
        {!proposing && (
          <button
            type="button"
            className="main-act"
            disabled={!changed || save.isPending}
            onClick={() => save.mutate(work)}
          >
            Save the draft
          </button>
        )}
      </div>
      {notice && (
        <p role="status" className="my-2 max-w-[80ch] border-l-2 border-accent pl-3">
          {notice}
        </p>
      )}
      {save.error && (
        <div role="alert" className="my-2 max-w-[80ch] border-l-2 border-accent pl-3">
          {save.error.message}
          <ul>
            {wrong.map((w) => (
              <li key={w.pointer + w.detail}>
                <button type="button" className="act" onClick={() => choose(placeOf(w.pointer, doc) ?? { on: "list" })}>
                  {w.pointer.replace(/^\//, "").replaceAll("/", " › ")}
                </button>{" "}
                {w.detail}
              </li>
            ))}
          </ul>
        </div>
      )}
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)] gap-8 lg:grid-cols-[minmax(0,5fr)_minmax(0,6fr)]">
        <Outline doc={doc} base={base} place={place} setPlace={choose} change={change} whole={!proposing} />
        <section aria-label="Selected" ref={form} className="min-w-0 scroll-mt-28">
          <p className="mb-3 lg:hidden">
            <button type="button" className="act" onClick={() => window.scrollTo(0, 0)}>
              Back to the outline
            </button>
          </p>
          {place.on === "list" ? (
            proposing ? (
              <Propose name={name} base={base} doc={doc} done={() => keep(undefined)} />
            ) : (
              <ListForm doc={doc} change={change} />
            )
          ) : (
            <PlaceForm place={place} setPlace={setPlace} doc={doc} base={base} change={change} ticks={ticks} />
          )}
        </section>
      </div>
      <Consequences doc={doc} base={base} setPlace={choose} advise={!proposing} />
    </>
  );
}

/** What a colleague would say of the list, how it differs, and what it would do to the ranking: asked for, since it takes a moment. */
function Consequences({
  doc,
  base,
  setPlace,
  advise,
}: {
  doc: Checklist;
  base: Checklist;
  setPlace: (p: Place) => void;
  advise: boolean;
}) {
  const versions = useVersions();
  const shown = versions.data?.find((v) => v.shown && v.key === doc.key);
  const advice = useMutation({ mutationFn: () => take(api.POST("/checklists/advice", { body: doc })) });
  const effect = useMutation({
    mutationFn: () =>
      take(api.POST("/checklists/effect", { params: { query: { base: shown && nameOf(shown) } }, body: doc })),
  });
  return (
    <>
      <p className="mt-8 flex flex-wrap gap-x-6 gap-y-2 border-t border-ink pt-3">
        {advise && (
          <button type="button" className="act" disabled={advice.isPending} onClick={() => advice.mutate()}>
            Review the checklist
          </button>
        )}
        <button type="button" className="act" disabled={effect.isPending} onClick={() => effect.mutate()}>
          Show the effect on the ranking
        </button>
      </p>
      {advice.error && <Failure error={advice.error} />}
      {advice.data && (
        <section className="mt-3">
          <h2 className="border-b border-ink pb-1">
            {advice.data.advice.length ? `${advice.data.advice.length} remarks` : "No remarks"}
          </h2>
          <ul>
            {advice.data.advice.map((a) => (
              <li
                key={a.pointer + a.text}
                className="grid gap-x-4 border-b border-rule py-1 md:grid-cols-[9rem_1fr_auto]"
              >
                <span className="text-[13px] text-soft">{a.sort}</span>
                <span>{a.text}</span>
                <button
                  type="button"
                  className="act justify-self-start"
                  onClick={() => setPlace(placeOf(a.pointer, doc) ?? { on: "list" })}
                >
                  Go there
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      {effect.error && <Failure error={effect.error} />}
      {effect.data && (
        <section className="mt-3">
          <h2 className="border-b border-ink pb-1">
            Compared with {effect.data.base}, as {nameOf(base)} is now
          </h2>
          <Difference of={effect.data.difference} />
          <Effect of={effect.data} title={(key) => titleIn(doc, key)} />
        </section>
      )}
    </>
  );
}

function Propose({ name, base, doc, done }: { name: string; base: Checklist; doc: Checklist; done: () => void }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [title, setTitle, dropTitle] = useDraft("proposal title", "");
  const [reason, setReason, dropReason] = useDraft("proposal reason", "");
  const edits = editsBetween(base, doc);
  const propose = useMutation({
    mutationFn: () => take(api.POST("/proposals", { body: { checklist: name, title, reason, edits } })),
    onSuccess: (p: Schemas["Proposal"]) => {
      dropTitle();
      dropReason();
      done();
      outdated(queries, "proposals");
      navigate(`/checklist/proposals/${p.id}`);
    },
  });
  return (
    <form
      className="grid grid-cols-[minmax(0,1fr)] gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        propose.mutate();
      }}
    >
      <h2>Propose {edits.length === 1 ? "one edit" : `${edits.length} edits`}</h2>
      {edits.length === 0 ? (
        <p className="text-soft">
          Select a criterion on the left and change it, change the weight of a section, add a criterion or remove one.
          Then return here and give your reason.
        </p>
      ) : (
        <ul className="text-[13px]">
          {edits.map((e, i) => (
            <li key={i} className="border-b border-rule py-0.5">
              {e.drop
                ? `remove ${titleIn(base, e.drop)}`
                : e.criterion
                  ? `${findCriterion(base, e.criterion.key) ? "change" : "add"} ${titleOf(e.criterion)}`
                  : `set the weight of ${e.section} to ${e.weight}`}
            </li>
          ))}
        </ul>
      )}
      <TextField label="What changes, in a few words" value={title} onChange={setTitle} />
      <TextField label="Why" rows={3} value={reason} onChange={setReason} />
      {propose.error && <Failure error={propose.error} />}
      <p>
        <button
          type="submit"
          className="main-act"
          disabled={!edits.length || !title.trim() || !reason.trim() || propose.isPending}
        >
          Submit the proposal
        </button>
      </p>
    </form>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { AlertDialog } from "radix-ui";
import { useCallback, useEffect, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { Refusal, api, take, takeWhole } from "../../api";
import { TextField } from "../../components/Fields";
import { Frame } from "../../components/Frame";
import { Empty, Failure, Loading, Refused } from "../../components/States";
import { merge, same } from "../../merge";
import { moment } from "../../numbers";
import { Parts } from "./Parts";
import { Preview } from "./Preview";
import { Subject } from "./Subject";
import { fetchDraft, type Written } from "./reports";
import { outdated, sourceKey } from "../../keys";
import { useMay } from "../../session";
import { useKept } from "../../drafts";
import { failed } from "../../failed";

/** What is being written, kept in the browser until it is saved: nothing typed is lost. */
type Work = { base: Written; etag: string; doc: Written };

export default function EditorPage() {
  const { key = "" } = useParams();
  const stored = useQuery({
    queryKey: sourceKey("reportToEdit", key),
    queryFn: () => fetchDraft(key),
    staleTime: 0,
    gcTime: 0,
    refetchOnReconnect: false,
  });
  const may = useMay()("write-reports");
  return (
    <Frame title="Write a report">
      {failed(stored) ? (
        <Failure error={stored.error} again={() => stored.refetch()} />
      ) : !stored.data ? (
        <Loading what="the draft" />
      ) : !may ? (
        <Empty>This account cannot write reports.</Empty>
      ) : (
        <Editor key={key} name={key} stored={stored.data} />
      )}
    </Frame>
  );
}

// How long after the last key the draft is saved, and how long until it is tried again.
const pause = 800;
const again = 4000;

function Editor({ name, stored }: { name: string; stored: Awaited<ReturnType<typeof fetchDraft>> }) {
  const [kept, keep] = useKept<Work>("document");
  const [work, setWork] = useState<Work>(() => kept ?? { base: stored.doc, etag: stored.etag, doc: stored.doc });
  const [notice, setNotice] = useState("");
  const [saved, setSaved] = useState({ at: stored.written, by: stored.person, count: 0 });
  const [part, setPart] = useState("");
  const queries = useQueryClient();
  const { base, doc } = work;
  const changed = !same(base, doc);
  useEffect(() => keep(changed ? work : undefined), [keep, work, changed]);
  const change = useCallback((make: (doc: Written) => void) => {
    setWork((w) => {
      const next = structuredClone(w.doc);
      make(next);
      return { ...w, doc: next };
    });
  }, []);
  const save = useMutation({
    networkMode: "always", // a lost connection is told, not waited for
    mutationFn: async (from: Work) => {
      let { base, etag, doc } = from;
      for (;;) {
        try {
          const got = await takeWhole(
            api.PUT("/reports/{report}/draft", {
              params: { path: { report: name }, header: { "If-Match": etag } },
              body: doc,
            }),
          );
          return {
            etag: got.etag,
            stored: { spec: got.data.spec, erratum: got.data.erratum } as Written,
            sent: from.doc, // not what was merged: that holds what others wrote, and this page does not yet
            at: got.data.written,
            by: got.data.person,
            notice: "",
          };
        } catch (error) {
          if (!(error instanceof Refusal) || error.problem.status !== 412) throw error;
          const theirs = await fetchDraft(name);
          const { merged, conflicts } = merge(base, doc, theirs.doc);
          if (conflicts.length)
            return {
              etag: theirs.etag,
              stored: theirs.doc,
              sent: from.doc,
              merged,
              at: theirs.written,
              by: theirs.person,
              notice: `${theirs.person} wrote here too. What you did not touch is included; where both of you changed the same text, yours is shown and saved with your next change: ${conflicts.join("; ")}. The text of ${theirs.person} is saved among the earlier versions.`,
            };
          [base, etag, doc] = [theirs.doc, theirs.etag, merged];
        }
      }
    },
    onSuccess: (done) => {
      // What was typed while the request was under way is based on what was saved.
      setWork((w) => ({
        base: done.stored,
        etag: done.etag,
        doc: merge(done.sent, w.doc, done.merged ?? done.stored).merged,
      }));
      setNotice(done.notice);
      setSaved((s) => ({ at: done.at, by: done.by, count: s.count + 1 }));
    },
  });
  const { mutate, isPending, error, variables: sent } = save;
  const refused = error instanceof Refusal;
  useEffect(() => {
    if (!changed || isPending || (refused && work.doc === sent?.doc)) return;
    // After a refusal nothing is sent until something was typed; a lost connection is tried again.
    const wait = error && !refused ? again : pause;
    const timer = setTimeout(() => mutate(work), wait);
    return () => clearTimeout(timer);
  }, [work, changed, isPending, error, refused, sent, mutate]);
  useEffect(() => {
    if (saved.count) void outdated(queries, sourceKey("reportCheck", name));
  }, [saved.count, name, queries]);
  const status = isPending
    ? "Saving…"
    : changed
      ? error
        ? "saved in this browser only"
        : "changed"
      : `saved ${moment(saved.at)} by ${saved.by}`;
  return (
    <>
      <div className="sticky top-0 z-10 flex flex-wrap items-baseline gap-x-5 gap-y-1 border-b border-ink bg-paper py-2">
        <h1 className="mr-auto min-w-0">{doc.spec.title || "Untitled"}</h1>
        <span role="status" className="text-[13px] text-soft">
          {status}
        </span>
        <Link className="act" to={`/reports/${name}/versions`}>
          Earlier versions
        </Link>
        <Publish name={name} etag={work.etag} doc={doc} ready={!changed && !isPending} />
      </div>
      {notice && (
        <p role="status" className="my-2 max-w-[80ch] border-l-2 border-accent pl-3">
          {notice}
        </p>
      )}
      {error && (
        <div className="my-2 max-w-[80ch] border-l-2 border-accent pl-3">
          {refused ? (
            <Refused error={error} />
          ) : (
            <p role="alert">
              {error.message} What you type is saved in this browser and sent when the service answers.
            </p>
          )}
        </div>
      )}
      <div className="mt-3 grid grid-cols-[minmax(0,1fr)] gap-8 lg:grid-cols-[minmax(0,9fr)_minmax(0,11fr)]">
        <div className="min-w-0">
          {doc.erratum && (
            <section className="mb-5 border-l-2 border-accent pl-4">
              <h2>This corrects a published revision</h2>
              <TextField
                label="What the correction changes"
                rows={2}
                value={doc.erratum.what}
                onChange={(what) => change((d) => void (d.erratum!.what = what))}
              />
              <TextField
                label="Why"
                rows={2}
                value={doc.erratum.why}
                onChange={(why) => change((d) => void (d.erratum!.why = why))}
              />
            </section>
          )}
          <TextField
            label="Title"
            value={doc.spec.title}
            onChange={(title) => change((d) => void (d.spec.title = title))}
          />
          <TextField
            label="Summary in one sentence"
            hint="for lists and link previews"
            rows={2}
            value={doc.spec.about}
            onChange={(about) => change((d) => void (d.spec.about = about || undefined))}
          />
          <Subject spec={doc.spec} change={(make) => change((d) => make(d.spec))} />
          <Parts name={name} spec={doc.spec} change={(make) => change((d) => make(d.spec))} onPart={setPart} />
        </div>
        <Preview name={name} count={saved.count} part={part} />
      </div>
    </>
  );
}

/** Publishing, after a check for problems and a question. */
function Publish({ name, etag, doc, ready }: { name: string; etag: string; doc: Written; ready: boolean }) {
  const [open, setOpen] = useState(false);
  const lead = useMay()("publish-reports");
  const navigate = useNavigate();
  const queries = useQueryClient();
  const check = useQuery({
    queryKey: sourceKey("reportCheck", name),
    queryFn: () => take(api.GET("/reports/{report}/draft/check", { params: { path: { report: name } } })),
    enabled: open,
    staleTime: 0,
    notifyOnChangeProps: "all",
  });
  const publish = useMutation({
    mutationFn: () =>
      take(
        api.POST("/reports/{report}/revisions", { params: { path: { report: name }, header: { "If-Match": etag } } }),
      ),
    onSuccess: () => {
      for (const key of ["reports", "report", "suggestions"]) void queries.invalidateQueries({ queryKey: [key] });
      navigate(`/reports/${name}/history`);
    },
  });
  if (!lead) return null;
  const typed = check.data?.typed ?? [];
  const unfilled = check.data?.unfilled ?? [];
  return (
    <AlertDialog.Root
      open={open}
      onOpenChange={(to) => {
        setOpen(to);
        publish.reset();
      }}
    >
      <AlertDialog.Trigger className="main-act" disabled={!ready}>
        Publish
      </AlertDialog.Trigger>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-20 bg-ink/40" />
        <AlertDialog.Content className="fixed top-[10vh] left-1/2 z-30 max-h-[80vh] w-[min(92vw,560px)] -translate-x-1/2 overflow-y-auto border border-ink border-l-accent bg-paper p-6 text-ink">
          <AlertDialog.Title>Publish “{doc.spec.title}”</AlertDialog.Title>
          <AlertDialog.Description className="my-3">
            What is published is kept forever, with its data, figures and pictures. Mistakes are corrected openly, in a
            new revision.
          </AlertDialog.Description>
          {check.isFetching && <Loading what="open items" />}
          <Refused error={check.error} />
          {unfilled.length > 0 && (
            <p className="font-medium">These figures cannot be filled in. Publishing is refused until they can:</p>
          )}
          <ul className="mb-3">
            {unfilled.map((f, i) => (
              <li key={i}>
                <code>{f.text}</code> in {f.part}, line {f.line}: {f.detail}
              </li>
            ))}
          </ul>
          {typed.length > 0 && (
            <p className="font-medium">These figures look typed by hand; they will not follow the data:</p>
          )}
          <ul className="mb-3">
            {typed.map((f, i) => (
              <li key={i}>
                <code>{f.text}</code> in {f.part}, line {f.line}
              </li>
            ))}
          </ul>
          {(check.data?.missing ?? []).map((e) => (
            <p key={e}>{e} has no accepted review and will be shown as not ranked.</p>
          ))}
          <Refused error={publish.error} className="my-2" />
          <span className="flex gap-6">
            <button
              type="button"
              className="main-act"
              disabled={publish.isPending || check.isFetching || unfilled.length > 0}
              onClick={() => publish.mutate()}
            >
              {publish.isPending ? "Freezing…" : "Publish"}
            </button>
            <AlertDialog.Cancel className="act">Cancel</AlertDialog.Cancel>
          </span>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  );
}

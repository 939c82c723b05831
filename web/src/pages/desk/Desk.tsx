import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { answerText, titleOf, useChecklist, type Checklist, type Criterion, type Reading } from "../../checklist";
import { Choice } from "../../components/Choice";
import { said } from "../../components/Edition";
import { hue } from "../../components/Figures";
import { Frame } from "../../components/Frame";
import { Empty, Failure, Loading } from "../../components/States";
import { percent } from "../../numbers";
import { meets } from "../../rigs";
import { Aside } from "./Aside";
import { Earlier } from "./Earlier";
import { nextState, of, useBeside, useEntries, useWriting } from "./entries";
import { Entry, nextBound, type Extra } from "./Entry";
import { Submit } from "./Submit";
import { KeysDialog } from "./KeysDialog";
import { actOf, useDeskKeys, type DeskAct } from "./keys";
import { placeKey, useAnswers, type Place } from "../../unsent/answers";
import { useOutbox } from "./outbox";
import { inContext, mine, standing } from "./standing";
import { partForms, RecordPart } from "./Record";
import { rigFor, Row, Saving } from "./Row";
import { chosenText, ContextDialog, contextFor, StateDialog } from "./Setting";
import { Shots } from "./Shots";
import { Side } from "./Side";
import { Measuring } from "../../components/Measuring";
import { isTimed } from "../../times";
import { useStopwatch } from "./Stopwatch";
import { fields, type Typed } from "./typed";
import { useRigs } from "../../lists";
import { sourceKey } from "../../keys";
import { useSession } from "../../session";
import { newID } from "../../ids";

export default function DeskPage() {
  const { id = "" } = useParams();
  const session = useSession();
  const review = useQuery({
    queryKey: sourceKey("review", id),
    queryFn: () => takeWhole(api.GET("/reviews/{id}", { params: { path: { id } } })),
  });
  const list = useChecklist(review.data?.data.checklist);
  const readings = useQuery({
    queryKey: sourceKey("readings", id),
    queryFn: () => take(api.GET("/reviews/{id}/readings", { params: { path: { id } } })),
  });
  const desk = useQuery({
    queryKey: sourceKey("desk", id),
    enabled: !!session.data?.signedIn,
    queryFn: () => take(api.GET("/reviews/{id}/scorecard", { params: { path: { id } } })),
    placeholderData: (old) => old,
  });
  const rigs = useRigs();
  const kept = useAnswers().filter((a) => a.review === id).length;
  const failed = [review, list, readings, desk, rigs].find((q) => q.isError && !q.data);
  if (session.data && !session.data.signedIn)
    return (
      <Frame title="Desk">
        <Empty>
          <h1 className="mb-2 text-ink">The desk is for members of the team</h1>
          <Link className="act" to={`/sign-in?to=/desk/${id}`}>
            Sign in
          </Link>{" "}
          to fill in this review.
          {kept > 0 && (
            <p className="mt-3 text-ink">
              {kept === 1 ? "One answer" : `${kept} answers`} typed here {kept === 1 ? "is" : "are"} saved in this
              browser and sent when you sign in again.
            </p>
          )}
        </Empty>
      </Frame>
    );
  if (failed?.error)
    return (
      <Frame title="Desk">
        <Failure error={failed.error} again={() => failed.refetch()} />
      </Frame>
    );
  if (!session.data?.person || !review.data || !list.data || !readings.data || !desk.data || !rigs.data)
    return (
      <Frame title="Desk">
        <Loading what="the review" />
      </Frame>
    );
  return (
    <Desk
      key={id}
      review={review.data.data}
      etag={review.data.etag}
      person={session.data.person.name}
      list={list.data}
      readings={readings.data.readings}
      hidden={readings.data.hidden ?? []}
      card={desk.data.scorecard}
      gaps={desk.data.gaps ?? []}
      rigs={rigs.data}
    />
  );
}

type Props = {
  review: Schemas["Review"];
  etag: string;
  person: string;
  list: Checklist;
  readings: Reading[];
  hidden: Schemas["HiddenGrade"][];
  card: Schemas["Scorecard"];
  gaps: Schemas["Gap"][];
  rigs: Schemas["Rig"][];
};

const lettersKept = "desk letters off";

function Desk(p: Props) {
  const { review, list, readings, hidden, card, person } = p;
  const rigs = p.rigs.filter((r) => !r.retired || readings.some((x) => x.rig === r.key));
  const [search, setSearch] = useSearchParams();
  const writes = review.may.includes("record");
  const notes = review.may.includes("write-entries");
  const outbox = useOutbox(review.id, person, list);
  const [open, setOpen] = useState(() => search.get("criterion") ?? "");
  const [extra, setExtra] = useState<Extra | "">("");
  const [dialog, setDialog] = useState<"" | "keys" | "submitted" | "context" | "state">("");
  const entries = useEntries(review.id);
  const beside = useBeside(review.id);
  const issues = useQuery({
    queryKey: sourceKey("issues"),
    queryFn: async () => (await take(api.GET("/known-issues"))).issues,
    staleTime: 60_000,
  });
  const write = useWriting(review.id);
  const keyOf = useDeskKeys();
  const part = search.get("part") ?? "";
  const chosen = {
    method: search.get("method") ?? "",
    setup: search.get("setup") ?? "",
    phase: search.get("phase") ?? "",
  };
  const [letters, setLetters] = useState(() => localStorage.getItem(lettersKept) === null);
  const rig = search.get("rig") ?? rigs[0]?.key ?? "";
  const at = Math.max(
    0,
    list.sections.findIndex((s) => s.key === search.get("section")),
  );
  const section = list.sections[at];
  const inHand = section.criteria.find((c) => c.key === open) ?? section.criteria[0];
  const placeOf = (c: Criterion): Place => ({
    criterion: c.key,
    rig: rigFor(c, rig, readings),
    context: contextFor(c, chosen),
  });
  const place = placeOf(inHand);
  const key = placeKey(place);
  // The state that what follows is read in: as chosen, or the latest on this rig.
  const states = of(entries.data, "system");
  const system = search.has("system")
    ? search.get("system") === "none"
      ? ""
      : search.get("system")!
    : (states.findLast((s) => !s.rig || !place.rig || s.rig === place.rig)?.id ?? "");

  const to = useCallback(
    (change: Record<string, string>) => {
      const next = new URLSearchParams(search);
      for (const [k, v] of Object.entries(change)) {
        if (v) next.set(k, v);
        else next.delete(k);
      }
      setSearch(next, { replace: true, preventScrollReset: true });
    },
    [search, setSearch],
  );

  // What was typed elsewhere and never recorded comes back.
  const adopt = outbox.adopt;
  useEffect(() => {
    if (!writes) return;
    take(api.GET("/reviews/{id}/drafts", { params: { path: { id: review.id } } })).then(
      (d) => adopt(d.drafts),
      () => undefined,
    );
  }, [adopt, review.id, writes]);

  // A field that is left becomes a reading.
  const send = outbox.send;
  const before = useRef(key);
  useEffect(() => {
    if (before.current !== key) void send(before.current);
    before.current = key;
  }, [key, send]);
  useEffect(() => () => void send(before.current), [send]);

  const stands = mine(readings, person, place, list);
  // The id of the next reading at each place, so that evidence can name it before it is sent.
  const ids = useRef<Record<string, string>>({});
  if (!ids.current[key] || ids.current[key] === stands?.id) ids.current[key] = newID();
  const typed = outbox.items[key]?.typed ?? { ...fields(inHand, stands), id: stands?.id ?? ids.current[key], system };
  const type = (change: Partial<Typed>) =>
    outbox.type(place, { ...typed, id: outbox.items[key] ? typed.id : ids.current[key], ...change });
  const evidence = of(entries.data, "evidence").filter(
    (e) => e.of === typed.id || standing(readings, place, inHand.context).some((r) => r.id === e.of),
  );

  // Equipment that is missing is said once, for all that need it.
  const rigInHand = rigs.find((r) => r.key === place.rig);
  const lacking = rigInHand ? (inHand.needs ?? []).filter((n) => !meets(rigInHand, n)) : [];
  const alike = list.sections
    .flatMap((s) => s.criteria)
    .filter(
      (c) =>
        c.key !== inHand.key &&
        (c.needs ?? []).some((n) => lacking.includes(n)) &&
        !readings.some((r) => r.criterion === c.key),
    );
  const sayForAll = () => {
    for (const c of alike) {
      const other = placeOf(c);
      outbox.type(other, { ...fields(c), system, none: "notTested", reason: typed.reason });
      void send(placeKey(other));
    }
    void send(key);
  };
  const watch = useStopwatch(inHand.unit, (value) => {
    const free = typed.runs.findIndex((r) => !r.trim());
    type({ runs: free < 0 ? [...typed.runs, value] : typed.runs.map((r, i) => (i === free ? value : r)) });
  });
  // The criteria follow each other through all sections. After the last one, letters act again.
  const step = (by: 1 | -1) => {
    setExtra("");
    const next = section.criteria[section.criteria.indexOf(inHand) + by];
    const beside = list.sections[at + by];
    if (next) return setOpen(next.key);
    if (beside) {
      setOpen(beside.criteria.at(by > 0 ? 0 : -1)!.key);
      return to({ section: beside.key, part: "" });
    }
    void send(key);
    (document.activeElement as HTMLElement | null)?.blur();
  };
  const nextSection = () => {
    const next = list.sections[(at + 1) % list.sections.length];
    setOpen(next.criteria[0].key);
    to({ section: next.key, part: "" });
  };
  const timed = inHand.kind === "measure" && isTimed(inHand.unit);

  const press = (e: React.KeyboardEvent) => {
    if (dialog) return;
    if (!writes && e.key !== "?") return;
    const target = e.target as HTMLElement;
    if (e.ctrlKey && e.key === "Enter") {
      e.preventDefault();
      void send(key);
      if (review.state === "underway") setDialog("submitted");
      return;
    }
    if (e.key === "Escape") return target.blur();
    if ("words" in target.dataset || e.ctrlKey || e.altKey || e.metaKey || (!letters && e.key !== "?")) return;
    const acts: Record<DeskAct, () => void> = {
      next: () => step(1),
      previous: () => step(-1),
      "not-tested": () => type({ none: typed.none === "notTested" ? "" : "notTested", reason: "" }),
      "not-applicable": () => type({ none: typed.none === "notApplicable" ? "" : "notApplicable", reason: "" }),
      adjust: () => inHand.kind === "measure" && setExtra("adjust"),
      bound: () => inHand.kind === "measure" && type({ bound: nextBound(typed.bound) }),
      repeat: () => inHand.kind === "measure" && type({ repeat: !typed.repeat }),
      evidence: () => setExtra("evidence"),
      stopwatch: () => timed && watch.toggle(),
      lap: () => timed && watch.lap(),
      context: () => setDialog("context"),
      state: () => setDialog("state"),
      findings: () => to({ part: part === "finding" ? "" : "finding" }),
      disturbance: () => setExtra("disturbance"),
      note: () => setExtra("note"),
      rig: () => to({ rig: rigs[(rigs.findIndex((x) => x.key === rig) + 1) % rigs.length]?.key ?? "", system: "" }),
      section: nextSection,
    };
    if (e.key === "?") {
      e.preventDefault();
      return setDialog("keys");
    }
    const name = actOf(e.code);
    if (!name || (part && !["findings", "section", "state"].includes(name))) return;
    e.preventDefault();
    acts[name]();
  };
  // Keys act wherever the focus is on the page, also when nothing has it.
  const handler = useRef(press);
  handler.current = press;
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const el = e.target as HTMLElement;
      if (
        el.closest?.(
          "[role=dialog],[role=alertdialog],[role=listbox],textarea,input:not([data-figure]):not([data-words])",
        )
      )
        return;
      handler.current(e as unknown as React.KeyboardEvent);
    };
    document.addEventListener("keydown", down);
    return () => document.removeEventListener("keydown", down);
  }, []);

  // The results of the release before are shown for a second look, but not its grades: they would influence the reviewer.
  const beforeOf = (c: Criterion) => {
    const had = beside.data?.readings.findLast(
      (r) =>
        r.criterion === c.key &&
        c.kind !== "grade" &&
        (r.rig ?? "") === rigFor(c, rig, readings) &&
        inContext(r, c.context),
    );
    return had && beside.data?.name ? `${beside.data.name.release} had ${answerText(had.answer, c)}` : "";
  };
  const gapsOf = (c: Criterion) => p.gaps.filter((g) => g.criterion === c.key);
  const pointsOf = (c: Criterion) => card.criteria.find((x) => x.key === c.key)?.points;
  return (
    <Frame title={`${said(review.name)}, desk`} status={<Saving outbox={outbox} />} full>
      <div className="flex min-h-[calc(100vh-49px)] flex-col lg:flex-row">
        <Side
          {...p}
          entries={entries.data ?? []}
          earlier={beside.data?.findings.filter((f) => !f.followedBy).length ?? 0}
          at={at}
          part={part}
          onSection={(s) => (setOpen(s.criteria[0].key), to({ section: s.key, part: "" }))}
          onPart={(name) => (void send(key), to({ part: name }))}
          onSubmit={() => (void send(key), setDialog("submitted"))}
          onKeys={() => setDialog("keys")}
          writes={writes}
        />
        {part ? (
          <div className="min-w-0 flex-1 px-5 py-4">
            {part === "finding" && <Earlier review={review.id} findings={beside.data?.findings ?? []} writes={notes} />}
            {part === "pictures" ? (
              <Shots review={review.id} list={list} evidence={of(entries.data, "evidence")} writes={notes} />
            ) : (
              partForms
                .filter((f) => f.part === part)
                .map((form) => (
                  <RecordPart
                    key={part}
                    form={form}
                    review={review.id}
                    list={list}
                    rigs={rigs}
                    issues={issues.data ?? []}
                    entries={entries.data ?? []}
                    person={person}
                    others={review.may.includes("edit-others-entries")}
                    writes={notes}
                  />
                ))
            )}
          </div>
        ) : (
          <div className="min-w-0 flex-1 px-5 py-4">
            <Measuring reviews={[review.id]} list={list} />
            <div className="mb-2 flex flex-wrap items-baseline gap-x-6 text-[13px]">
              <h2 style={{ color: hue(at) }}>{titleOf(section)}</h2>
              <span className="text-soft">{percent(card.sections[at]?.share ?? 0)} of the score</span>
              <span className="ml-auto flex flex-wrap gap-x-5">
                {states.length > 0 && (
                  <Choice
                    label="in state"
                    value={system}
                    onChange={(s) => to({ system: s || "none" })}
                    options={[
                      { value: "", label: "none" },
                      ...states.map((s) => ({ value: s.id, label: s.note ? `${s.id}, ${s.note}` : s.id })),
                    ]}
                  />
                )}
                <button
                  type="button"
                  className={chosenText(list, chosen) ? "bg-chosen px-1 font-medium" : "text-soft hover:text-ink"}
                  onClick={() => setDialog("context")}
                >
                  <span className="key mr-1">{keyOf("context")}</span>
                  {chosenText(list, chosen) || "as asked"}
                </button>
                <Choice
                  label="On rig"
                  value={rig}
                  onChange={(r) => to({ rig: r, system: "" })}
                  options={rigs.map((r) => ({ value: r.key, label: r.name || r.key }))}
                />
              </span>
            </div>
            <ol className="border-t border-rule">
              {section.criteria.map((c) => (
                <li key={c.key}>
                  {c === inHand && writes ? (
                    <Entry
                      key={key}
                      criterion={c}
                      list={list}
                      index={at}
                      place={place}
                      review={review.id}
                      lacking={lacking}
                      others={alike.length}
                      evidence={evidence}
                      watch={watch}
                      hidden={hidden.filter((h) => h.criterion === c.key).map((h) => h.reviewer)}
                      onRetry={() => void outbox.retry(key)}
                      onAll={sayForAll}
                      typed={typed}
                      item={outbox.items[key]}
                      points={pointsOf(c)}
                      extra={extra}
                      onExtra={setExtra}
                      onType={type}
                      onDone={() => step(1)}
                      onDrop={() => outbox.drop(place)}
                    />
                  ) : (
                    <Row
                      criterion={c}
                      chosen={c === inHand}
                      place={placeOf(c)}
                      before={beforeOf(c)}
                      readings={readings}
                      items={outbox.items}
                      hidden={hidden.filter((h) => h.criterion === c.key).length}
                      points={pointsOf(c)}
                      gap={gapsOf(c)[0]}
                      onOpen={() => (setExtra(""), setOpen(c.key))}
                    />
                  )}
                  {c === inHand &&
                    gapsOf(c).map((g) => (
                      <p key={g.rig} className="border-b border-rule bg-chosen px-3 py-1 text-[13px]">
                        {g.bounded ? "Known only roughly" : "Does not count"}
                        {g.rig && ` on ${g.rig}`}: {g.why}. To make it count: {g.fix}.
                      </p>
                    ))}
                </li>
              ))}
            </ol>
          </div>
        )}
        {!part && (
          <Aside
            review={review.id}
            person={person}
            criterion={inHand}
            place={place}
            rigs={p.rigs}
            list={list}
            readings={readings}
            points={pointsOf(inHand)}
            index={at}
          />
        )}
      </div>
      <Submit
        review={review.id}
        etag={p.etag}
        coverage={card.coverage}
        unsent={Object.keys(outbox.items).length}
        open={dialog === "submitted"}
        onOpen={(on) => setDialog(on ? "submitted" : "")}
      />
      <ContextDialog
        list={list}
        chosen={chosen}
        open={dialog === "context"}
        onOpen={(on) => setDialog(on ? "context" : "")}
        onChoose={to}
      />
      <StateDialog
        open={dialog === "state"}
        onOpen={(on) => setDialog(on ? "state" : "")}
        rig={rig}
        pending={write.isPending}
        error={write.error}
        onSave={({ saved, ...state }) => {
          const id = nextState(states);
          write.mutate(
            { id, revision: 0, entry: { system: { id, rig, ...state } } },
            { onSuccess: () => (saved(), setDialog(""), to({ system: id })) },
          );
        }}
      />
      <KeysDialog
        open={dialog === "keys"}
        onOpen={(on) => setDialog(on ? "keys" : "")}
        letters={letters}
        onLetters={(on) => {
          setLetters(on);
          if (on) localStorage.removeItem(lettersKept);
          else localStorage.setItem(lettersKept, "yes");
        }}
      />
    </Frame>
  );
}

import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { api, take, takeWhole, type Schemas } from "../../api";
import { answerText, titleOf, useChecklist, type Checklist, type Criterion, type Reading } from "../../checklist";
import { Choice } from "../../components/Choice";
import { said } from "../../components/Edition";
import { hue } from "../../components/Figures";
import { Frame, useAbout, useRoles, useSession } from "../../components/Frame";
import { Empty, Failure, Loading } from "../../components/States";
import { TallyCount } from "../../components/Tally";
import { day, percent, score } from "../../numbers";
import { Aside } from "./Aside";
import { Entry, type Extra } from "./Entry";
import { KeysDialog, MoveDialog } from "./Moves";
import { mine, placeKey, standing, useOutbox, type Item, type Outbox } from "./outbox";
import { fields, type Typed } from "./typed";

export default function DeskPage() {
  const { id = "" } = useParams();
  const session = useSession();
  const review = useQuery({ queryKey: ["review", id], queryFn: () => takeWhole(api.GET("/reviews/{id}", { params: { path: { id } } })) });
  const list = useChecklist(review.data?.data.checklist);
  const readings = useQuery({ queryKey: ["readings", id], queryFn: () => take(api.GET("/reviews/{id}/readings", { params: { path: { id } } })) });
  const desk = useQuery({ queryKey: ["desk", id], enabled: !!session.data?.signedIn, queryFn: () => take(api.GET("/reviews/{id}/scorecard", { params: { path: { id } } })), placeholderData: (old) => old });
  const rigs = useQuery({ queryKey: ["rigs"], queryFn: () => take(api.GET("/rigs", { params: { query: { limit: 1000 } } })), staleTime: 60_000 });
  const failed = [review, list, readings, desk, rigs].find((q) => q.isError && !q.data);
  if (session.data && !session.data.signedIn)
    return (
      <Frame title="Desk">
        <Empty>
          <h1 className="mb-2 text-ink">The desk is the team's</h1>
          <Link className="act" to={`/sign-in?to=/desk/${id}`}>
            Sign in
          </Link>{" "}
          to fill in this review.
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
      card={desk.data.scorecard}
      rigs={rigs.data.rigs}
    />
  );
}

type Props = {
  review: Schemas["Review"];
  etag: string;
  person: string;
  list: Checklist;
  readings: Reading[];
  card: Schemas["Scorecard"];
  rigs: Schemas["Rig"][];
};

const lettersKept = "desk letters off";

function Desk(p: Props) {
  const { review, list, readings, card, rigs, person } = p;
  const [search, setSearch] = useSearchParams();
  const roles = useRoles();
  const writes = roles.includes("reviewer") && review.state !== "withdrawn";
  const outbox = useOutbox(review.id, person, list, readings);
  const [open, setOpen] = useState(() => search.get("criterion") ?? "");
  const [extra, setExtra] = useState<Extra | "">("");
  const [dialog, setDialog] = useState<"" | "keys" | "handed-in">("");
  const [letters, setLetters] = useState(() => localStorage.getItem(lettersKept) === null);
  const rig = search.get("rig") ?? rigs[0]?.key ?? "";
  const at = Math.max(0, list.sections.findIndex((s) => s.key === search.get("section")));
  const section = list.sections[at];
  const inHand = section.criteria.find((c) => c.key === open) ?? section.criteria[0];
  const place = { criterion: inHand.key, rig: rigFor(inHand, rig, readings) };
  const key = placeKey(place);

  const to = useCallback(
    (change: Record<string, string>) => {
      const next = new URLSearchParams(search);
      for (const [k, v] of Object.entries(change)) next.set(k, v);
      setSearch(next, { replace: true, preventScrollReset: true });
    },
    [search, setSearch],
  );

  // What was typed elsewhere and never recorded comes back.
  const adopt = outbox.adopt;
  useEffect(() => {
    if (!writes) return;
    take(api.GET("/reviews/{id}/drafts", { params: { path: { id: review.id } } })).then((d) => adopt(d.drafts), () => undefined);
  }, [adopt, review.id, writes]);

  // A field that is left becomes a reading.
  const send = outbox.send;
  const before = useRef(key);
  useEffect(() => {
    if (before.current !== key) void send(before.current);
    before.current = key;
  }, [key, send]);
  useEffect(() => () => void send(before.current), [send]);

  const typed = outbox.items[key]?.typed ?? fields(inHand, mine(readings, person, place, list));
  const type = (change: Partial<Typed>) => outbox.type(place, { ...typed, ...change });
  const step = (by: number) => {
    setExtra("");
    const i = section.criteria.indexOf(inHand) + by;
    if (i >= 0 && i < section.criteria.length) setOpen(section.criteria[i].key);
    else void send(key);
  };
  const nextSection = () => {
    const next = list.sections[(at + 1) % list.sections.length];
    setOpen(next.criteria[0].key);
    to({ section: next.key });
  };

  const press = (e: React.KeyboardEvent) => {
    if (!writes || dialog) return;
    const target = e.target as HTMLElement;
    if (e.ctrlKey && e.key === "Enter") {
      e.preventDefault();
      void send(key);
      if (review.state === "underway") setDialog("handed-in");
      return;
    }
    if (e.key === "Escape") return target.blur();
    if ("words" in target.dataset || e.ctrlKey || e.altKey || e.metaKey || (!letters && e.key !== "?")) return;
    const acts: Record<string, () => void> = {
      j: () => step(1),
      k: () => step(-1),
      n: () => type({ none: typed.none === "notTested" ? "" : "notTested", reason: "" }),
      p: () => type({ none: typed.none === "notApplicable" ? "" : "notApplicable", reason: "" }),
      a: () => inHand.kind === "measure" && setExtra("adjust"),
      d: () => setExtra("disturbance"),
      e: () => setExtra("note"),
      r: () => to({ rig: rigs[(rigs.findIndex((x) => x.key === rig) + 1) % rigs.length]?.key ?? "" }),
      s: nextSection,
      "?": () => setDialog("keys"),
    };
    const act = acts[e.key.toLowerCase()];
    if (!act) return;
    e.preventDefault();
    act();
  };
  // Keys act wherever the focus is on the page, also when nothing has it.
  const handler = useRef(press);
  handler.current = press;
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const el = e.target as HTMLElement;
      if (el.closest?.("[role=dialog],[role=listbox]")) return;
      handler.current(e as unknown as React.KeyboardEvent);
    };
    document.addEventListener("keydown", down);
    return () => document.removeEventListener("keydown", down);
  }, []);

  const pointsOf = (c: Criterion) => card.criteria.find((x) => x.key === c.key)?.points;
  return (
    <Frame title={`${said(review.name)}, desk`} status={<Saving outbox={outbox} />} full>
      <div className="flex min-h-[calc(100vh-49px)] flex-col lg:flex-row">
        <Side {...p} at={at} onSection={(s) => (setOpen(s.criteria[0].key), to({ section: s.key }))} onHandIn={() => (void send(key), setDialog("handed-in"))} onKeys={() => setDialog("keys")} writes={writes} />
        <div className="min-w-0 flex-1 px-5 py-4">
          <div className="mb-2 flex flex-wrap items-baseline gap-x-6 text-[13px]">
            <h2 style={{ color: hue(at) }}>{titleOf(section)}</h2>
            <span className="text-soft">{percent(card.sections[at]?.share ?? 0)} of the score</span>
            <span className="ml-auto">
              <Choice label="On rig" value={rig} onChange={(r) => to({ rig: r })} options={rigs.map((r) => ({ value: r.key, label: r.name || r.key }))} />
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
                    rig={place.rig}
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
                  <Row criterion={c} chosen={c === inHand} rig={rigFor(c, rig, readings)} readings={readings} items={outbox.items} points={pointsOf(c)} onOpen={() => (setExtra(""), setOpen(c.key))} />
                )}
              </li>
            ))}
          </ol>
        </div>
        <Aside review={review.id} criterion={inHand} rig={place.rig} rigs={p.rigs} list={list} readings={readings} points={pointsOf(inHand)} index={at} />
      </div>
      <MoveDialog review={review.id} etag={p.etag} to="handed-in" title="Hand in this review?" act="Hand in" open={dialog === "handed-in"} onOpen={(on) => setDialog(on ? "handed-in" : "")}>
        <Missing list={list} card={card} items={outbox.items} />
      </MoveDialog>
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

/** The rig that a criterion is tried on: what is timed or needs equipment has one, judgement has none. */
function rigFor(c: Criterion, rig: string, readings: Reading[]): string {
  const timed = c.kind === "measure" && !!(c.context?.method || c.context?.setup || c.context?.phase);
  const onRigs = readings.some((r) => r.criterion === c.key && r.rig);
  return timed || c.needs?.length || onRigs ? rig : "";
}

function Saving({ outbox }: { outbox: Outbox }) {
  const items = Object.values(outbox.items);
  const waiting = items.filter((i) => i.state === "waiting").length;
  const refused = items.filter((i) => i.state === "refused").length;
  const text = waiting
    ? `${waiting} not saved: no connection, kept here`
    : refused
      ? `${refused} not taken, see why`
      : items.some((i) => i.state === "sending")
        ? "saving…"
        : items.length
          ? "typed, kept as a draft"
          : outbox.savedAt
            ? `saved ${outbox.savedAt.toISOString().slice(11, 19)} UTC`
            : "";
  return (
    <span role="status" className="text-[13px]">
      {text}
    </span>
  );
}

function Row({ criterion: c, chosen, rig, readings, items, points, onOpen }: { criterion: Criterion; chosen: boolean; rig: string; readings: Reading[]; items: Record<string, Item>; points?: number | null; onOpen: () => void }) {
  const place = { criterion: c.key, rig };
  const kept = items[placeKey(place)];
  const here = standing(readings, place, c);
  const last = here.at(-1);
  return (
    <button type="button" onClick={onOpen} aria-current={chosen || undefined} className={`grid min-h-[36px] w-full grid-cols-[1fr_auto] items-center gap-x-4 border-b border-rule py-1 text-left hover:bg-wash/50 md:grid-cols-[minmax(0,1fr)_minmax(0,18rem)_3.5rem] ${chosen ? "bg-chosen" : ""}`}>
      <span>
        {titleOf(c)}
        {c.gate != null && <span className="ml-2 text-[12px] text-accent">a must</span>}
      </span>
      <span className={`max-md:order-3 max-md:col-span-2 ${last?.answer.notTested || last?.answer.notApplicable ? "text-soft italic" : "text-soft"}`}>
        {kept ? (
          <span className="text-accent">{kept.state === "refused" ? "not taken" : kept.state === "waiting" ? "waits for a connection" : "typed, not recorded"}</span>
        ) : last ? (
          <>
            {answerText(last.answer, c)}
            {here.length > 1 && <span className="text-[12px]"> +{here.length - 1}</span>}
          </>
        ) : null}
      </span>
      <span className="text-right font-semibold">{points != null ? score(points) : ""}</span>
    </button>
  );
}

function Side({ review, etag, list, card, readings, at, onSection, onHandIn, onKeys, writes }: Props & { at: number; onSection: (s: Checklist["sections"][number]) => void; onHandIn: () => void; onKeys: () => void; writes: boolean }) {
  const roles = useRoles();
  const about = useAbout();
  const answered = (s: Checklist["sections"][number]) => s.criteria.filter((c) => (c.kind === "fact" ? readings.some((r) => r.criterion === c.key) : card.criteria.find((x) => x.key === c.key)?.state !== "not-tested" || readings.some((r) => r.criterion === c.key))).length;
  return (
    <div className="border-rule px-5 py-4 max-lg:border-b lg:w-[212px] lg:border-r">
      <p className="text-[13px] text-soft">Review, {review.state.replace("-", " ")}</p>
      <h1 className="text-[24px]!">{review.name.distribution}</h1>
      <p className="font-serif text-[18px] font-semibold">
        {review.name.release} {review.name.edition}
      </p>
      <p className="text-[13px] text-soft">
        {list.title} {list.version}
        {review.due && (
          <>
            {" "}
            · due <span className={about.data && review.due < about.data.now.slice(0, 10) ? "text-accent" : ""}>{day(review.due)}</span>
          </>
        )}
      </p>
      <nav aria-label="Sections" className="my-4 max-lg:grid max-lg:grid-cols-2 max-lg:gap-x-6">
        {list.sections.map((s, i) => (
          <button key={s.key} type="button" aria-current={i === at ? "true" : undefined} onClick={() => onSection(s)} className="block w-full border-b border-rule py-2 text-left">
            <span className="mb-1 flex items-baseline justify-between">
              <span className={`font-serif ${i === at ? "font-semibold" : ""}`}>
                <span aria-hidden="true" className="mr-1.5 inline-block h-2 w-2" style={{ background: hue(i) }} />
                {titleOf(s)}
              </span>
              <span className="text-[12px] text-soft">
                {answered(s)} of {s.criteria.length}
              </span>
            </span>
            <TallyCount done={answered(s)} of={s.criteria.length} label={`${answered(s)} of ${s.criteria.length} done`} />
          </button>
        ))}
      </nav>
      <p className="text-[13px] text-soft">
        Coverage {percent(card.coverage)}
        <br />
        Score so far {score(card.overall)}, possible {score(card.low)}–{score(card.high)}
      </p>
      {writes && (
        <p className="mt-3 text-[13px] text-soft max-md:hidden">
          <span className="key">J</span> <span className="key">K</span> next, previous
          <br />
          <span className="key">Ctrl Enter</span> hand in
          <br />
          <button type="button" onClick={onKeys} className="hover:text-ink">
            <span className="key">?</span> all keys
          </button>
        </p>
      )}
      <div className="mt-4 flex flex-col items-start gap-3">
        {review.state === "underway" && (writes || roles.includes("lead")) && (
          <button type="button" className="main-act" onClick={onHandIn}>
            Hand in…
          </button>
        )}
        {roles.includes("lead") && <LeadMoves review={review} etag={etag} />}
        {review.state === "handed-in" && !roles.includes("lead") && <p className="text-[13px] text-soft">Handed in; it waits for the lead.</p>}
        {review.state === "accepted" && writes && <p className="text-[13px] text-soft">Accepted. What is recorded now counts once the lead reopens and accepts it again.</p>}
      </div>
    </div>
  );
}

function LeadMoves({ review, etag }: { review: Schemas["Review"]; etag: string }) {
  const [to, setTo] = useState<"" | "accepted" | "underway">("");
  const on = (state: "accepted" | "underway") => (o: boolean) => setTo(o ? state : "");
  if (review.state === "handed-in")
    return (
      <>
        <button type="button" className="main-act" onClick={() => setTo("accepted")}>
          Accept…
        </button>
        <button type="button" className="act" onClick={() => setTo("underway")}>
          Give back
        </button>
        <MoveDialog review={review.id} etag={etag} to="accepted" title="Accept this review?" act="Accept" open={to === "accepted"} onOpen={on("accepted")}>
          Its readings are pinned and count in the ranking from now on.
        </MoveDialog>
        <MoveDialog review={review.id} etag={etag} to="underway" title="Give this review back?" act="Give back" open={to === "underway"} onOpen={on("underway")}>
          It goes back to its reviewer.
        </MoveDialog>
      </>
    );
  if (review.state === "accepted")
    return (
      <>
        <button type="button" className="act" onClick={() => setTo("underway")}>
          Reopen…
        </button>
        <MoveDialog review={review.id} etag={etag} to="underway" title="Reopen this review?" act="Reopen" needsReason open={to === "underway"} onOpen={on("underway")}>
          Until it is accepted again, it stands as it was accepted.
        </MoveDialog>
      </>
    );
  return null;
}

/** What is missing when a review is about to be handed in. */
function Missing({ list, card, items }: { list: Checklist; card: Schemas["Scorecard"]; items: Record<string, Item> }) {
  const open = list.sections.flatMap((s) => s.criteria).filter((c) => card.criteria.some((x) => x.key === c.key && x.state === "not-tested" && !x.reason));
  const unsent = Object.keys(items).length;
  return (
    <>
      <p>{open.length === 0 ? "Every scored criterion has an answer or a reason for none." : `${open.length} criteria have neither an answer nor a reason for none: ${open.slice(0, 6).map(titleOf).join(", ")}${open.length > 6 ? " and others" : ""}.`}</p>
      {unsent > 0 && <p className="text-accent">{unsent === 1 ? "One entry is" : `${unsent} entries are`} typed but not recorded.</p>}
      <p className="text-soft">Coverage {percent(card.coverage)}.</p>
    </>
  );
}

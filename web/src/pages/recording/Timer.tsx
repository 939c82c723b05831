import { useEffect, useRef, useState } from "react";
import { Sideways } from "../../components/Sideways";
import { none, rounded } from "../../numbers";
import { frameAt, placed, summed, timed, type Frames, type Timed } from "../../recording";
import { Clip, type ClipHandle } from "./Clip";
import { Send, type Into } from "./Send";

/** Whose time is read. */
export type Contender = { label: string; edition?: string; review?: string };

/** A mark in a recording, and the picture there. */
type Mark = { frame: number; still?: Blob };

/** One run of a contender. */
export type Run = Timed & { begin: Mark; end: Mark; file: string };

const keys: [string, string][] = [
  ["← →", "one frame back or forward; with Shift ten"],
  ["Space", "play or pause"],
  ["B", "it starts in this frame"],
  ["E", "it ends in this frame"],
  ["1 to 9", "the contender"],
  ["Enter", "save the run"],
];

/** Steps through recordings, marks begin and end of each contender, and keeps runs. */
export function Timer({ contenders, into }: { contenders: Contender[]; into?: Into }) {
  const [shared, setShared] = useState(false); // all in one picture
  const [active, setActive] = useState(0);
  const [together, setTogether] = useState(false);
  const [begins, setBegins] = useState<(Mark | undefined)[]>([]);
  const [ends, setEnds] = useState<(Mark | undefined)[]>([]);
  const [runs, setRuns] = useState<Run[][]>(contenders.map(() => []));
  const [files, setFiles] = useState<Record<number, { name: string; frames: Frames }>>({});
  const clips = useRef<Record<number, ClipHandle | null>>({});
  const [, redraw] = useState(0);

  const place = (i: number) => (shared ? 0 : i); // of a contender's clip
  const beginOf = (i: number) => begins[place(i)];
  const current = (i: number): Timed | undefined => {
    const file = files[place(i)];
    const [b, e] = [beginOf(i), ends[i]];
    return file && b && e && e.frame > b.frame ? timed(file.frames, { begin: b.frame, end: e.frame }) : undefined;
  };
  const whole =
    contenders.some((_, i) => current(i)) && contenders.every((_, i) => current(i) || (shared ? !ends[i] : !files[i]));

  const step = async (by: number) => {
    const clip = clips.current[place(active)];
    if (!clip?.frames) return;
    const to = Math.min(Math.max(clip.frame() + by, 0), clip.frames.begins.length - 1);
    await clip.show(to);
    const from = beginOf(active);
    if (!together || shared || !from) return;
    // The others go to the same time since their own begin.
    const since = clip.frames.begins[to] - clip.frames.begins[from.frame];
    await Promise.all(
      contenders.map((_, i) => {
        const other = clips.current[i];
        const begun = begins[i];
        return i !== active && other?.frames && begun
          ? other.show(frameAt(other.frames, other.frames.begins[begun.frame] + since))
          : undefined;
      }),
    );
  };
  const mark = async (what: "begin" | "end") => {
    const at = place(active);
    const clip = clips.current[at];
    if (!clip?.frames) return;
    await clip.show(clip.frame()); // it stands still
    const made = { frame: clip.frame(), still: await clip.still() };
    if (what === "begin") setBegins((old) => Object.assign([...old], { [at]: made }));
    else setEnds((old) => Object.assign([...old], { [active]: made }));
  };
  // All that have a begin play at once, each from its own.
  const play = async () => {
    const begun = Object.entries(clips.current).flatMap(([i, clip]) => {
      const from = begins[Number(i)];
      return clip?.frames && from ? [{ clip, from: from.frame }] : [];
    });
    await Promise.all(begun.map(({ clip, from }) => clip.show(from)));
    for (const { clip } of begun) clip.toggle();
  };
  const keep = () => {
    if (!whole) return;
    setRuns((old) =>
      old.map((all, i) => {
        const time = current(i);
        return time ? [...all, { ...time, begin: beginOf(i)!, end: ends[i]!, file: files[place(i)].name }] : all;
      }),
    );
    setBegins([]);
    setEnds([]);
  };
  const press = useRef((_: KeyboardEvent) => {});
  press.current = (e) => {
    const on = e.target as HTMLElement;
    if (e.ctrlKey || e.metaKey || e.altKey || on.closest("input:not([type=file]),textarea,select,[role=combobox]"))
      return;
    const does = new Map<string, () => void>([
      ["ArrowLeft", () => void step(e.shiftKey ? -10 : -1)],
      ["ArrowRight", () => void step(e.shiftKey ? 10 : 1)],
      ["b", () => void mark("begin")],
      ["e", () => void mark("end")],
    ]);
    if (!on.closest("button,a")) {
      does.set(" ", () => clips.current[place(active)]?.toggle());
      does.set("Enter", keep);
    }
    const digit = Number(e.key);
    if (digit >= 1 && digit <= contenders.length) does.set(e.key, () => setActive(digit - 1));
    const act = does.get(e.key.length === 1 ? e.key.toLowerCase() : e.key);
    if (!act) return;
    e.preventDefault();
    act();
  };
  useEffect(() => {
    const listen = (e: KeyboardEvent) => press.current(e);
    window.addEventListener("keydown", listen);
    return () => window.removeEventListener("keydown", listen);
  }, []);

  const totals = runs.map((all) => summed(all));
  const order = placed(contenders.flatMap((c, i) => (totals[i] ? [{ of: c.label, time: totals[i] }] : [])));
  const pictures = shared ? contenders.slice(0, 1) : contenders;
  return (
    <>
      {contenders.length > 1 && (
        <div className="my-3 flex flex-wrap gap-x-6 gap-y-1 text-[13px]">
          <fieldset className="inline-flex flex-wrap gap-x-3">
            <legend className="sr-only">The contenders are</legend>
            {[false, true].map((one) => (
              <button
                key={String(one)}
                type="button"
                aria-pressed={shared === one}
                className={shared === one ? "bg-chosen px-1 font-semibold" : "act"}
                onClick={() => {
                  setShared(one);
                  setBegins([]);
                  setEnds([]);
                }}
              >
                {one ? "all in one picture" : "one file each"}
              </button>
            ))}
          </fieldset>
          {!shared && (
            <label className="inline-flex items-baseline gap-1">
              <input type="checkbox" checked={together} onChange={(e) => setTogether(e.target.checked)} />
              step together, from the start of each
            </label>
          )}
        </div>
      )}
      <div className={`mt-3 grid gap-5 ${pictures.length > 1 ? "md:grid-cols-2" : ""}`}>
        {pictures.map((c, i) => (
          <Clip
            key={`${shared} ${c.label}`}
            ref={(handle) => {
              clips.current[i] = handle;
            }}
            label={shared ? "All" : c.label}
            active={shared || active === i}
            onChoose={() => setActive(i)}
            onFrame={() => redraw((n) => n + 1)}
            onReady={(name, frames) => setFiles((old) => ({ ...old, [i]: { name, frames } }))}
          />
        ))}
      </div>
      <p className="mt-2 flex flex-wrap gap-x-5 text-[13px] text-soft">
        {keys.map(([key, does]) => (
          <span key={key}>
            <span className="key">{key}</span> {does}
          </span>
        ))}
      </p>
      <div className="mt-2 flex flex-wrap gap-x-5 gap-y-1">
        <button type="button" className="act" onClick={() => void step(-1)}>
          Frame back
        </button>
        <button type="button" className="act" onClick={() => void step(1)}>
          Frame forward
        </button>
        <button type="button" className="act" onClick={() => void mark("begin")}>
          Mark start
        </button>
        <button type="button" className="act" onClick={() => void mark("end")}>
          Mark end
        </button>
        {begins.some(Boolean) && (
          <button type="button" className="act" onClick={() => void play()}>
            Play from the start
          </button>
        )}
        <button type="button" className="main-act" disabled={!whole} onClick={keep}>
          Save the run
        </button>
      </div>
      <Sideways label="Times">
        <table className="ledger mt-3">
          <thead>
            <tr>
              <th className="margin">Contender</th>
              <th className="num">Start</th>
              <th className="num">End</th>
              <th className="num">Seconds</th>
              <th className="num">± one frame</th>
              <th>Saved runs, in seconds</th>
            </tr>
          </thead>
          <tbody>
            {contenders.map((c, i) => {
              const now = current(i);
              return (
                <tr key={c.label}>
                  <th scope="row" className="margin">
                    <button
                      type="button"
                      className={active === i ? "bg-chosen px-1 font-semibold" : "act"}
                      aria-pressed={active === i}
                      onClick={() => setActive(i)}
                    >
                      {c.label}
                    </button>
                  </th>
                  <td className="num">{beginOf(i)?.frame ?? none}</td>
                  <td className="num">{ends[i]?.frame ?? none}</td>
                  <td className="num">{now ? rounded(now.seconds, 3) : none}</td>
                  <td className="num">{now ? rounded(now.resolution, 3) : none}</td>
                  <td className="whitespace-normal!">
                    {runs[i].map((r, n) => (
                      <span key={`${r.file} ${r.begin.frame} ${r.end.frame} ${n}`} className="mr-4 whitespace-nowrap">
                        {rounded(r.seconds, 3)}{" "}
                        <button
                          type="button"
                          className="act text-[12px]"
                          aria-label={`remove run ${n + 1} of ${c.label}`}
                          onClick={() =>
                            setRuns((old) =>
                              old.with(
                                i,
                                old[i].filter((_, k) => k !== n),
                              ),
                            )
                          }
                        >
                          Remove
                        </button>
                      </span>
                    ))}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </Sideways>
      {order.flat().length > 1 && (
        <p className="mt-2" role="status">
          {order.map((tied) => tied.join(" = ")).join(" › ")}
          {order.some((tied) => tied.length > 1) && (
            <span className="text-soft"> (=: less than a frame apart, too close to call)</span>
          )}
        </p>
      )}
      {into && (
        <Send
          contenders={contenders}
          runs={runs}
          totals={totals}
          into={into}
          onSent={() => setRuns(contenders.map(() => []))}
        />
      )}
    </>
  );
}

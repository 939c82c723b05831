import { Slider } from "radix-ui";
import type { Schemas } from "../../api";
import { rounded } from "../../numbers";

export type Tip = { share: number; leader: string };

/** A weight that is dragged, with the shares marked at which another edition leads. */
export function Weight({
  label,
  share,
  hue,
  tips,
  leads,
  onChange,
  onDone,
}: {
  label: string;
  share: number;
  hue: string;
  tips?: Schemas["TipPoint"];
  leads: (edition: string) => string;
  onChange: (share: number) => void;
  onDone: (share: number) => void;
}) {
  const marks = [tips?.down && { ...tips.down, from: "up to" }, tips?.up && { ...tips.up, from: "from" }].filter(
    (m): m is Tip & { from: string } => !!m,
  );
  const said = marks.map((m) => `${leads(m.leader)} leads ${m.from} ${rounded(100 * m.share, 1)} %`);
  return (
    <div className="py-1">
      <div className="flex items-baseline justify-between gap-3">
        <span>{label}</span>
        <span className="font-semibold">{rounded(100 * share, 1)} %</span>
      </div>
      <Slider.Root
        className="relative flex h-6 w-full touch-none items-center select-none"
        min={0}
        max={100}
        step={0.1}
        value={[100 * share]}
        onValueChange={([v]) => onChange(v / 100)}
        onValueCommit={([v]) => onDone(v / 100)}
        aria-label={label}
      >
        <Slider.Track className="relative block h-[3px] w-full bg-wash">
          <Slider.Range className="absolute h-full" style={{ background: hue }} />
        </Slider.Track>
        {marks.map((m) => (
          <span
            key={m.from}
            aria-hidden="true"
            className="absolute top-0 -ml-[1px] block h-6 w-[2px] bg-accent"
            style={{ left: `${100 * m.share}%` }}
            title={`${leads(m.leader)} leads ${m.from} ${rounded(100 * m.share, 1)} %`}
          />
        ))}
        <Slider.Thumb
          aria-label={label}
          aria-valuetext={`${rounded(100 * share, 1)} percent${said.length ? `; ${said.join("; ")}` : ""}`}
          className="block h-5 w-[9px] border-2 border-ink bg-paper hover:bg-chosen"
        />
      </Slider.Root>
      {said.length > 0 && <p className="text-[12px] leading-tight text-soft">{said.join(" · ")}</p>}
    </div>
  );
}

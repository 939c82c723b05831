import { hue } from "./Figures";
import { sharesText } from "../numbers";

/** The sections' shares as lengths of one bar, each of its section's hue. */
export function Shares({ sections, shares }: { sections: { key: string; title?: string }[]; shares: number[] }) {
  const texts = sharesText(shares);
  return (
    <div
      role="img"
      aria-label={sections.map((s, i) => `${s.title || s.key} ${texts[i]}`).join(", ")}
      className="flex h-[22px] w-full max-w-[760px] gap-[2px]"
    >
      {sections.map((s, i) =>
        shares[i] > 0 ? (
          <span
            key={s.key}
            className="block min-w-0 truncate border-b-[5px] text-[12px] leading-[17px]"
            style={{ width: `${100 * shares[i]}%`, borderColor: hue(i) }}
          >
            <span className="text-soft">{texts[i]}</span> {s.title || s.key}
          </span>
        ) : null,
      )}
    </div>
  );
}

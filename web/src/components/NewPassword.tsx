import { useId, useState } from "react";
import type { Strength } from "../strength";

const words = [
  "very easy to guess",
  "easy to guess",
  "not hard enough to guess",
  "hard to guess",
  "very hard to guess",
];

function said(password: string, { judged, failed }: Strength): string {
  if (!password) return "At least 12 characters. A few unrelated words work well.";
  if (failed) return "The strength cannot be checked now.";
  if (!judged) return "…";
  return judged.fault ? `It ${judged.fault}.` : `It is ${words[judged.score]}.`;
}

/** A new password, and how good it is while it is typed. */
export function NewPassword({
  label = "New password",
  value,
  strength,
  onChange,
}: {
  label?: string;
  value: string;
  strength: Strength;
  onChange: (password: string) => void;
}) {
  const id = useId();
  const [shown, setShown] = useState(false);
  return (
    <div>
      <label htmlFor={id} className="block text-[13px] text-soft">
        {label}
      </label>
      <span className="flex items-center gap-3">
        <input
          id={id}
          name="new-password"
          className="field w-full"
          type={shown ? "text" : "password"}
          autoComplete="new-password"
          autoCapitalize="none"
          spellCheck={false}
          aria-describedby={`${id}-says`}
          value={value}
          onChange={(e) => onChange(e.target.value)}
        />
        <button type="button" className="act shrink-0" aria-pressed={shown} onClick={() => setShown(!shown)}>
          {shown ? "Hide" : "Show"}
        </button>
      </span>
      <span aria-hidden className="mt-1 flex gap-1">
        {[1, 2, 3, 4].map((n) => (
          <span key={n} className={`h-1 flex-1 ${(strength.judged?.score ?? 0) >= n ? "bg-ink" : "bg-rule"}`} />
        ))}
      </span>
      <p id={`${id}-says`} aria-live="polite" className="mt-1 text-[13px] text-soft">
        {said(value, strength)}
      </p>
    </div>
  );
}

import type { ReactNode } from "react";

/** A wide table that moves sideways on a narrow page, by keyboard too. */
export function Sideways({ label, children }: { label: string; children: ReactNode }) {
  return (
    <div className="scroll-x" role="region" aria-label={label} tabIndex={0}>
      {children}
    </div>
  );
}

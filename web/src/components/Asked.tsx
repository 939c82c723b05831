import { Close, Sheet } from "./Sheet";
import type { ReactNode } from "react";

/** A question before something is done that others see. */
export function Asked({
  open,
  onOpen,
  title,
  act,
  onYes,
  children,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  title: string;
  act: string;
  onYes: () => void;
  children: ReactNode;
}) {
  return (
    <Sheet open={open} onOpen={onOpen} title={title}>
      <div className="my-3">{children}</div>
      <span className="flex items-center gap-6">
        <button type="button" className="main-act" onClick={onYes}>
          {act}
        </button>
        <Close className="act">Not yet</Close>
      </span>
    </Sheet>
  );
}

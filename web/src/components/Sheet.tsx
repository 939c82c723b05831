import { Dialog } from "radix-ui";
import type { KeyboardEvent, ReactNode } from "react";

/** Closes the sheet that it is in. */
export const Close = Dialog.Close;

const look = [
  "fixed top-[10vh] left-1/2 z-30 max-h-[82vh] -translate-x-1/2 overflow-y-auto",
  "border border-ink border-l-accent bg-paper p-6 text-ink",
].join(" ");

/**
 * What lies over the page and is answered or closed before anything else: a question, a form, a list. The keys that are
 * pressed in it are its own.
 */
export function Sheet({
  open,
  onOpen,
  title,
  says,
  wide = 460,
  stays = false,
  onKeys,
  children,
}: {
  open: boolean;
  onOpen: (open: boolean) => void;
  title: string;
  /** What it is for, in a sentence below its title. */
  says?: ReactNode;
  /** At most so many pixels. */
  wide?: number;
  /** A press beside it does not close it. */
  stays?: boolean;
  /** What is done with the keys pressed in it. */
  onKeys?: (e: KeyboardEvent) => void;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-ink/40" />
        <Dialog.Content
          className={look}
          style={{ width: `min(92vw, ${wide}px)` }}
          onKeyDown={(e) => (e.stopPropagation(), onKeys?.(e))}
          onInteractOutside={(e) => stays && e.preventDefault()}
          {...(says ? {} : { "aria-describedby": undefined })}
        >
          <Dialog.Title>{title}</Dialog.Title>
          {says && <Dialog.Description className="mt-1 text-[13px] text-soft">{says}</Dialog.Description>}
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** How what opens a choice looks. */
export const triggerLook =
  "inline-flex max-w-full min-h-[24px] items-center gap-1 border-b border-ink px-1 font-medium whitespace-nowrap";

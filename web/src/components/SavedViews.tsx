import { Popover } from "radix-ui";
import { useState, type FormEvent } from "react";
import { Link, useLocation } from "react-router";
import { useSavedViews } from "../views";
import { Refused } from "./States";

/** The views that somebody keeps, and a field to keep what the page shows now. */
export default function SavedViews() {
  const { pathname, search } = useLocation();
  const { signedIn, views, save, drop } = useSavedViews();
  const [title, setTitle] = useState("");
  const [open, setOpen] = useState(false);
  if (!signedIn) return null;
  const here = pathname + search;
  const kept = views.data ?? [];
  const now = kept.find((v) => v.address === here);
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate({ title, address: here }, { onSuccess: () => setTitle("") });
  };
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger className="act">{now ? `View: ${now.title}` : "My views"}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          aria-label="My views"
          className="z-20 w-[min(24rem,92vw)] border border-ink bg-paper p-3 text-ink"
        >
          {kept.length === 0 ? (
            <p className="text-[13px] text-soft">Save what this page shows under a name, to open it again later.</p>
          ) : (
            <ul className="max-h-[40vh] overflow-y-auto">
              {kept.map((v) => (
                <li key={v.id} className="flex items-baseline justify-between gap-4 border-b border-rule py-1">
                  <Link
                    to={v.address}
                    aria-current={v === now ? "page" : undefined}
                    className={`min-w-0 wrap-anywhere hover:underline ${v === now ? "font-semibold" : ""}`}
                    onClick={() => setOpen(false)}
                  >
                    {v.title}
                  </Link>
                  <button
                    type="button"
                    className="act"
                    aria-label={`Delete the view ${v.title}`}
                    onClick={() => drop(v)}
                  >
                    Delete
                  </button>
                </li>
              ))}
            </ul>
          )}
          <form onSubmit={submit} className="mt-3 flex items-end gap-4">
            <label className="min-w-0 flex-1">
              <span className="block text-[13px] text-soft">Save this view as</span>
              <input
                className="field w-full"
                required
                maxLength={120}
                value={title}
                onChange={(e) => setTitle(e.target.value)}
              />
            </label>
            <button type="submit" className="act" disabled={save.isPending}>
              Save
            </button>
          </form>
          <Refused error={save.error} className="mt-2" />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

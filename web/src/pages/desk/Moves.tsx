import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Close, Sheet } from "../../components/Sheet";
import type { ReactNode } from "react";
import { api, take, type Schemas } from "../../api";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { useDraft } from "../../drafts";

type State = Schemas["ReviewState"];

/** A question before a review is moved to another state. */
export function MoveDialog({
  review,
  etag,
  to,
  title,
  act,
  needsReason = false,
  open,
  onOpen,
  children,
}: {
  review: string;
  etag: string;
  to: State;
  title: string;
  act: string;
  needsReason?: boolean;
  open: boolean;
  onOpen: (open: boolean) => void;
  children?: ReactNode;
}) {
  const queries = useQueryClient();
  const [reason, setReason, saved] = useDraft(`${to} reason`, "");
  const move = useMutation({
    mutationFn: () =>
      take(
        api.PATCH("/reviews/{id}", {
          params: { path: { id: review }, header: { "If-Match": etag } },
          body: { state: to, reason: reason || undefined },
        }),
      ),
    onSuccess: async () => {
      saved();
      onOpen(false);
      await queries.invalidateQueries();
    },
    onError: () => void outdated(queries, sourceKey("review", review)),
  });
  return (
    <Sheet open={open} onOpen={onOpen} title={title}>
      <form
        onSubmit={(e) => {
          e.preventDefault();
          move.mutate();
        }}
      >
        <div className="my-3">{children}</div>
        <label className="mb-4 block">
          <span className="block text-[13px] text-soft">{needsReason ? "Why" : "Comment (optional)"}</span>
          <input
            className="field w-full"
            data-words
            required={needsReason}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
        </label>
        <span className="flex items-center gap-6">
          <button type="submit" className="main-act" disabled={move.isPending}>
            {act}
          </button>
          <Close asChild>
            <button type="button" className="act">
              Cancel
            </button>
          </Close>
        </span>
        <Refused error={move.error} className="mt-3" />
      </form>
    </Sheet>
  );
}

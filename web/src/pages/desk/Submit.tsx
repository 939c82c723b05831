import { useQuery } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api";
import { percent } from "../../numbers";
import { MoveDialog } from "./Moves";
import { sourceKey } from "../../keys";

const groups: [Schemas["OpenItem"]["sort"], string][] = [
  ["missing", "No answer"],
  ["uncounted", "Answered, but not counted"],
  ["bounded", "Known only roughly"],
  ["doubtful", "Doubtful"],
  ["surprising", "Surprising and unconfirmed"],
  ["disagreement", "Grades differ too much"],
  ["screenshot", "Missing screenshots"],
  ["finding", "Still present?"],
];

/** The question before a review is submitted: what it leaves open is listed, and asks for a reason. */
export function Submit({
  review,
  etag,
  coverage,
  unsent,
  open,
  onOpen,
}: {
  review: string;
  etag: string;
  coverage: number;
  unsent: number;
  open: boolean;
  onOpen: (open: boolean) => void;
}) {
  const ends = useQuery({
    queryKey: sourceKey("openItems", review),
    enabled: open,
    staleTime: 0,
    queryFn: async () =>
      (await take(api.GET("/reviews/{id}/open-items", { params: { path: { id: review } } }))).openItems,
  });
  const left = ends.data ?? [];
  return (
    <MoveDialog
      review={review}
      etag={etag}
      to="submitted"
      title="Submit this review?"
      act="Submit"
      needsReason={left.length > 0}
      open={open}
      onOpen={onOpen}
    >
      <p>
        {ends.isPending
          ? "Looking for open items…"
          : left.length === 0
            ? "There are no open items."
            : `${left.length} open items: give a reason below, or resolve them first.`}
      </p>
      <div className="max-h-[34vh] overflow-y-auto text-[13px]">
        {groups.map(([sort, title]) => {
          const of = left.filter((e) => e.sort === sort);
          if (!of.length) return null;
          return (
            <section key={sort} className="mt-2">
              <h3 className="font-medium">{title}</h3>
              <ul>
                {of.map((e, i) => (
                  <li key={i} className="border-b border-rule py-0.5">
                    {e.says.replace(/^still there\? | has no answer$/, "")}
                  </li>
                ))}
              </ul>
            </section>
          );
        })}
      </div>
      {unsent > 0 && (
        <p className="mt-2 text-accent">
          {unsent === 1 ? "One answer is" : `${unsent} answers are`} typed but not recorded.
        </p>
      )}
      <p className="mt-2 text-soft">Coverage {percent(coverage)}.</p>
    </MoveDialog>
  );
}

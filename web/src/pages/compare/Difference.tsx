import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, take } from "../../api";
import type { Checklist } from "../../checklist";
import { Choice } from "../../components/Choice";
import { Failure, Loading } from "../../components/States";
import { rounded } from "../../numbers";
import { addressOf, type View } from "../../view";
import { Contributions } from "../Explain";
import { nameIn, type Data } from "./Table";
import { sourceKey } from "../../keys";
import { failed } from "../../failed";

/** What makes the difference of two of the editions, criterion by criterion. */
export function Difference({ data, list, view }: { data: Data; list: Checklist; view: View }) {
  const scored = data.editions.filter((e) => e.scorecard.overall != null).map((e) => e.scorecard.edition);
  const a = scored.includes(data.baseline) ? data.baseline : scored[0];
  const others = scored.filter((e) => e !== a);
  const asked = view.search.get("with") ?? "";
  const b = others.includes(asked) ? asked : others[0];
  const query = useQuery({
    queryKey: sourceKey("explanation", view.query, a, b),
    enabled: !!b,
    queryFn: () =>
      take(api.GET("/explanation", { params: { query: { ...view.query, only: undefined, newest: undefined, a, b } } })),
    placeholderData: (old) => old,
  });
  if (!b) return null;
  return (
    <section className="mt-8">
      <h2>What makes the difference</h2>
      <div className="my-2 flex flex-wrap items-baseline gap-x-6 text-[13px]">
        <span>
          {nameIn(data, a)},{" "}
          {query.data &&
            `${rounded(Math.abs(query.data.explanation.difference), 2)} points ${query.data.explanation.difference >= 0 ? "ahead of" : "behind"}`}
        </span>
        {others.length > 1 ? (
          <Choice
            label="against"
            quiet
            value={b}
            onChange={(w) => view.set({ with: w })}
            options={others.map((e) => ({ value: e, label: nameIn(data, e) }))}
          />
        ) : (
          <span>{nameIn(data, b)}</span>
        )}
        <Link className="act" to={addressOf("/explain", view, { a, b })}>
          Every criterion
        </Link>
      </div>
      {failed(query) ? (
        <Failure error={query.error} again={() => query.refetch()} />
      ) : !query.data ? (
        <Loading what="the explanation" />
      ) : (
        <Contributions data={query.data} list={list} most={12} />
      )}
    </section>
  );
}

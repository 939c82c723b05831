import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take } from "../../api";
import { Answered } from "../../components/Answered";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { moment } from "../../numbers";
import { programOf } from "./programs";

/** Where somebody is signed in by a browser, and how that ends. */
export function SignedInPlaces({ person }: { person: string }) {
  const queries = useQueryClient();
  const path = { person };
  const sessions = useQuery({
    queryKey: sourceKey("signedIn", person),
    queryFn: () => take(api.GET("/people/{person}/sessions", { params: { path } })).then((l) => l.sessions),
  });
  const end = useMutation({
    mutationFn: (id?: string) =>
      id
        ? take(api.DELETE("/people/{person}/sessions/{id}", { params: { path: { person, id } } }))
        : take(api.DELETE("/people/{person}/sessions", { params: { path } })),
    onSettled: () => outdated(queries, "signedIn"),
  });
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Signed in</h2>
      <Answered of={[sessions]} what="sessions" none={null}>
        {(all) =>
          all.length === 0 ? (
            <p className="py-2 text-soft">Nowhere.</p>
          ) : (
            <>
              <ul>
                {all.map((s) => (
                  <li
                    key={s.id}
                    className="flex flex-wrap items-baseline justify-between gap-x-6 border-b border-rule py-1"
                  >
                    <span>
                      {programOf(s.program)} <span className="text-soft">from</span> {s.address || "an unknown address"}
                      {s.current && <b className="ml-2 font-semibold">this one</b>}
                      <span className="block text-[13px] text-soft">
                        used {moment(s.used)} · since {moment(s.created)} · ends {moment(s.expires)}
                      </span>
                    </span>
                    {!s.current && (
                      <button
                        type="button"
                        className="act"
                        aria-label={`Sign out ${programOf(s.program)} from ${s.address}`}
                        disabled={end.isPending}
                        onClick={() => end.mutate(s.id)}
                      >
                        Sign out
                      </button>
                    )}
                  </li>
                ))}
              </ul>
              {all.filter((s) => !s.current).length > 1 && (
                <button
                  type="button"
                  className="act mt-2"
                  disabled={end.isPending}
                  onClick={() => end.mutate(undefined)}
                >
                  {all.some((s) => s.current) ? "Sign out all others" : "Sign out all"}
                </button>
              )}
            </>
          )
        }
      </Answered>
      <Refused error={end.error} className="mt-2" />
    </section>
  );
}

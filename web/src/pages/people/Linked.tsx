import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";
import { moment } from "../../numbers";
import { takeSaid } from "../../said";
import { useAbout } from "../../session";

/** The providers of single sign-on that an account is linked to; one's own can be linked here. */
export function Linked({ person, own }: { person: string; own: boolean }) {
  const providers = useAbout().data?.providers ?? [];
  if (providers.length === 0) return null;
  return <Links person={person} own={own} providers={providers} />;
}

function Links({ person, own, providers }: { person: string; own: boolean; providers: Schemas["SignOnProvider"][] }) {
  const queries = useQueryClient();
  const [told] = useState(takeSaid);
  const list = useQuery({
    queryKey: sourceKey("identities", person),
    queryFn: () => take(api.GET("/people/{person}/identities", { params: { path: { person } } })),
  });
  const unlink = useMutation({
    mutationFn: (provider: string) =>
      take(api.DELETE("/people/{person}/identities/{provider}", { params: { path: { person, provider } } })),
    onSuccess: () => outdated(queries, "identities"),
  });
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Single sign-on</h2>
      {own && told && (
        <p role="alert" className="mt-2 text-accent">
          {told}
        </p>
      )}
      <Answered of={[list]} what="single sign-on" none={null}>
        {(l) => (
          <ul>
            {providers.map((p) => {
              const linked = l.identities.find((i) => i.provider === p.key);
              return (
                <li key={p.key} className="flex items-baseline justify-between gap-x-6 border-b border-rule py-1">
                  <span>
                    {p.title}
                    <span className="block text-[13px] text-soft">
                      {linked ? `linked, used ${moment(linked.used)}` : "not linked"}
                    </span>
                  </span>
                  {linked ? (
                    <button
                      type="button"
                      className="act"
                      disabled={unlink.isPending}
                      onClick={() => unlink.mutate(p.key)}
                    >
                      Unlink
                    </button>
                  ) : (
                    own && (
                      <a className="act" href={`/sign-on/${p.key}?link=true&to=/account`}>
                        Link
                      </a>
                    )
                  )}
                </li>
              );
            })}
          </ul>
        )}
      </Answered>
      <Refused error={unlink.error} className="mt-2" />
    </section>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Schemas } from "../../api";
import { Answered } from "../../components/Answered";
import { Refused } from "../../components/States";
import { outdated, sourceKey } from "../../keys";

type Rules = Schemas["SignInRules"];

/** What signing in needs. */
export function SignInRules() {
  const queries = useQueryClient();
  const rules = useQuery({ queryKey: sourceKey("signInRules"), queryFn: () => take(api.GET("/sign-in-rules")) });
  const set = useMutation({
    mutationFn: (body: Rules) => take(api.PUT("/sign-in-rules", { body })),
    onSettled: () => outdated(queries, "signInRules"),
  });
  return (
    <section className="mt-8 max-w-3xl">
      <h2 className="border-b border-ink pb-1">Signing in</h2>
      <Answered of={[rules]} what="the rules for signing in" none={null}>
        {(r) => (
          <label className="mt-2 flex items-baseline gap-2">
            <input
              type="checkbox"
              className="accent-(--accent)"
              checked={r.secondStep === "required"}
              disabled={set.isPending}
              onChange={(e) => set.mutate({ secondStep: e.target.checked ? "required" : "optional" })}
            />
            <span>
              Leads and administrators need a second step after the password
              <span className="block text-[13px] text-soft">
                Anyone without a passkey has to add one at the next sign-in before doing anything else.
              </span>
            </span>
          </label>
        )}
      </Answered>
      <Refused error={set.error} className="mt-2" />
    </section>
  );
}

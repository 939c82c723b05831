import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, take, type Schemas } from "./api";
import { sourceKey } from "./keys";

export type Strength = {
  /** How good the password is, once that is known. */
  judged?: Schemas["PasswordStrength"];
  /** Whether it may be sent: it is good, or it could not be checked. */
  good: boolean;
  failed: boolean;
};

/** How good a new password is, asked once its typing rests. names are what its owner is called. */
export function useStrength(password: string, names: string[]): Strength {
  const [rested, setRested] = useState({ password, number: 0 });
  useEffect(() => {
    const timer = setTimeout(() => setRested((old) => ({ password, number: old.number + 1 })), 250);
    return () => clearTimeout(timer);
  }, [password]);
  const judged = useQuery({
    // The password is no part of the key: keys are kept for a while.
    queryKey: sourceKey("strength", rested.number),
    queryFn: () => take(api.POST("/password-strength", { body: { password: rested.password, names } })),
    enabled: rested.password !== "",
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const known = password !== "" && rested.password === password;
  return {
    judged: known ? judged.data : undefined,
    good: known && (judged.isError || (!!judged.data && !judged.data.fault)),
    failed: known && judged.isError,
  };
}

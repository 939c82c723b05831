import { useMutation, useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useLocation, useNavigate } from "react-router";
import { api, take } from "../../api";
import { Answered } from "../../components/Answered";
import { Frame } from "../../components/Frame";
import { NewPassword } from "../../components/NewPassword";
import { Empty, Refused } from "../../components/States";
import { sourceKey } from "../../keys";
import { useAbout } from "../../session";
import { useSigning } from "../../signing";
import { useStrength } from "../../strength";

/** Where a link leads by which somebody chooses a password. */
export default function Welcome() {
  const secret = decodeURIComponent(useLocation().hash.slice(1));
  const about = useAbout();
  const link = useQuery({
    queryKey: sourceKey("link", secret),
    queryFn: () => take(api.POST("/links/open", { body: { secret } })),
    enabled: secret !== "",
    retry: false,
    gcTime: 0,
  });
  return (
    <Frame title="Choose a password">
      <div className="mt-8 max-w-md border-l border-accent pl-6">
        <h1>{link.data?.first ? `Welcome, ${link.data.title}` : "Choose a password"}</h1>
        <Answered
          of={[link]}
          what="the link"
          none={<Empty>The address is incomplete. Open the whole link that you received.</Empty>}
        >
          {(whom) => (
            <>
              <p className="mb-5 text-[13px] text-soft">
                Choose a password for the account <b>{whom.name}</b> at {about.data?.team ?? "this service"}. You sign
                in with that name.{!whom.first && " Sessions with the old password end then."}
              </p>
              <Choose secret={secret} name={whom.name} title={whom.title} />
            </>
          )}
        </Answered>
      </div>
    </Frame>
  );
}

function Choose({ secret, name, title }: { secret: string; name: string; title: string }) {
  const navigate = useNavigate();
  const { signedIn } = useSigning();
  const [password, setPassword] = useState("");
  const strength = useStrength(password, [name, title]);
  const use = useMutation({
    mutationFn: () => take(api.POST("/links/use", { body: { secret, password } })),
    onSuccess: (session) => {
      if (session.second) return navigate("/sign-in", { replace: true });
      signedIn(session);
      return navigate("/work", { replace: true });
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    use.mutate();
  };
  return (
    <form onSubmit={submit} className="grid gap-4">
      <input type="hidden" name="username" autoComplete="username" value={name} readOnly />
      <NewPassword label="Password" value={password} strength={strength} onChange={setPassword} />
      <button type="submit" className="main-act justify-self-start" disabled={use.isPending || !strength.good}>
        Save and sign in
      </button>
      <Refused error={use.error} />
    </form>
  );
}

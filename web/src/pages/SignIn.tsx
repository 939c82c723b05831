import { useState } from "react";
import { Navigate, useNavigate, useSearchParams } from "react-router";
import { Frame } from "../components/Frame";
import { ByPasskey } from "../components/Passkeys";
import { SignInForm } from "../components/SignInForm";
import { takeSaid } from "../said";
import { useAbout } from "../session";
import { useSigning } from "../signing";

export default function SignIn() {
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const about = useAbout();
  const { signedIn } = useSigning();
  const done = () => {
    const to = search.get("to") ?? "";
    // Only addresses of our own: "//host" would lead elsewhere.
    void navigate(/^\/(?!\/)/.test(to) && to !== "/" ? to : "/work");
  };
  const [told] = useState(takeSaid);
  if (about.data?.setUp) return <Navigate to="/set-up" replace />;
  return (
    <Frame title="Sign in">
      <div className="mt-8 max-w-sm border-l border-accent pl-6">
        <h1>Sign in</h1>
        <p className="mb-5 text-[13px] text-soft">
          For members of {about.data?.team ?? "this service"}. Readers need no account.
        </p>
        {told && (
          <p role="alert" className="mb-4 text-accent">
            {told}
          </p>
        )}
        {about.data?.providers?.map((p) => (
          <p key={p.key} className="mb-4">
            <a
              className="main-act inline-block"
              href={`/sign-on/${p.key}?to=${encodeURIComponent(search.get("to") ?? "/work")}`}
            >
              Sign in with {p.title}
            </a>
          </p>
        ))}
        {about.data?.noPasswords ? (
          <ByPasskey
            onEntered={(session) => {
              signedIn(session);
              done();
            }}
          />
        ) : (
          <SignInForm onDone={done} />
        )}
      </div>
    </Frame>
  );
}

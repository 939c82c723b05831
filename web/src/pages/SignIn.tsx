import { Navigate, useNavigate, useSearchParams } from "react-router";
import { Frame } from "../components/Frame";
import { SignInForm } from "../components/SignInForm";
import { useAbout } from "../session";

export default function SignIn() {
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const about = useAbout();
  const done = () => {
    const to = search.get("to") ?? "";
    // Only addresses of our own: "//host" would lead elsewhere.
    void navigate(/^\/(?!\/)/.test(to) && to !== "/" ? to : "/work");
  };
  if (about.data?.setUp) return <Navigate to="/set-up" replace />;
  return (
    <Frame title="Sign in">
      <div className="mt-8 max-w-sm border-l border-accent pl-6">
        <h1>Sign in</h1>
        <p className="mb-5 text-[13px] text-soft">
          For the team of {about.data?.team ?? "this service"}. Readers need no account.
        </p>
        <SignInForm onDone={done} />
      </div>
    </Frame>
  );
}

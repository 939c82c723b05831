import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { api, take } from "../api";
import { Frame } from "../components/Frame";
import { Refused } from "../components/States";
import { useAbout } from "../session";

export default function SignIn() {
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const about = useAbout();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const enter = useMutation({
    mutationFn: () => take(api.POST("/session", { body: { name, password } })),
    onSuccess: (session) => {
      queries.clear();
      queries.setQueryData(["session"], session);
      const to = search.get("to") ?? "";
      // Only addresses of our own: "//host" would lead elsewhere.
      navigate(/^\/(?!\/)/.test(to) && to !== "/" ? to : "/work");
    },
  });
  const submit = (e: FormEvent) => {
    e.preventDefault();
    enter.mutate();
  };
  return (
    <Frame title="Sign in">
      <form onSubmit={submit} className="mt-8 max-w-sm border-l border-accent pl-6">
        <h1>Sign in</h1>
        <p className="mb-5 text-[13px] text-soft">
          For the team of {about.data?.team ?? "this service"}. Readers need no account.
        </p>
        <label className="mb-4 block">
          <span className="block text-[13px] text-soft">Name</span>
          <input
            className="field w-full"
            name="name"
            autoComplete="username"
            autoCapitalize="none"
            required
            autoFocus
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <label className="mb-5 block">
          <span className="block text-[13px] text-soft">Password</span>
          <input
            className="field w-full"
            name="password"
            type="password"
            autoComplete="current-password"
            required
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        <button type="submit" className="main-act" disabled={enter.isPending}>
          Sign in
        </button>
        <Refused error={enter.error} className="mt-4" />
      </form>
    </Frame>
  );
}

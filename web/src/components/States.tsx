import type { ReactNode } from "react";
import { Link } from "react-router";
import { Refusal, Unreachable } from "../api";

/** What figures there are before a checklist is in force: none, and what comes first. */
export function NothingYet() {
  return (
    <Empty>
      <h1 className="mb-2 text-ink">No figures yet</h1>
      <p>Editions are scored against a checklist. No checklist is in force yet.</p>
      <p className="mt-3">
        <Link className="act" to="/start">
          Set up the first ranking
        </Link>
      </p>
    </Empty>
  );
}

/** The failure of a query, with what to do. */
export function Failure({ error, again }: { error: Error; again?: () => void }) {
  const refused = error instanceof Refusal ? error.problem : undefined;
  if (refused?.type === "/problems/no-checklist") return <NothingYet />;
  return (
    <div role="alert" className="my-8 max-w-xl border-l-2 border-accent pl-4">
      <h2>
        {error instanceof Unreachable
          ? "No connection to the service"
          : refused?.status === 404
            ? "Not found"
            : refused?.status === 401 || refused?.status === 403
              ? "You do not have access"
              : "The request failed"}
      </h2>
      <p className="mt-1">{error.message}</p>
      <Wrong error={error} />
      <p className="mt-3 flex gap-5">
        {again && (
          <button type="button" className="act" onClick={again}>
            Try again
          </button>
        )}
        {refused?.status === 401 && (
          <Link className="act" to="/sign-in">
            Sign in
          </Link>
        )}
      </p>
    </div>
  );
}

/** Why something was refused, with every field that is wrong; nothing where there is no error. */
export function Refused({ error, className = "" }: { error: Error | null | undefined; className?: string }) {
  if (!error) return null;
  return (
    <div role="alert" className={`text-accent ${className}`}>
      {error.message}
      <Wrong error={error} />
    </div>
  );
}

/** Every field that a refusal names. */
export function Wrong({ error }: { error: Error | null }) {
  if (!(error instanceof Refusal) || !error.problem.errors?.length) return null;
  if (error.problem.errors.length === 1 && error.problem.detail?.endsWith(error.problem.errors[0].detail)) return null; // its sentence names the one error
  return (
    <ul className="mt-1">
      {error.problem.errors.map((e) => (
        <li key={e.pointer + e.detail}>
          <span className="text-soft">{e.pointer.replace(/^\//, "").replaceAll("/", " › ")}:</span> {e.detail}
        </li>
      ))}
    </ul>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="my-10 text-soft">
      Loading {what}…
    </p>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return <div className="my-10 max-w-xl text-soft">{children}</div>;
}

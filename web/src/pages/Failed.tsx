import { Suspense, useEffect, useState, type ReactNode } from "react";
import { isRouteErrorResponse, useRevalidator, useRouteError } from "react-router";
import { Refusal, Unreachable } from "../api";
import { isUp, PageMissing, part } from "../chunks";
import { Frame } from "../components/Frame";
import { Failure } from "../components/States";

const NotFound = part(() => import("./NotFound"));

/** What a page shows when it fails: what happened, and what helps. The layout around it stays. */
export function PageFailed() {
  const error = useRouteError();
  const again = useRevalidator();
  const { revalidate } = again;
  useEffect(() => {
    if (!(error instanceof PageMissing)) return;
    const retry = () => void revalidate();
    window.addEventListener("online", retry);
    return () => window.removeEventListener("online", retry);
  }, [error, revalidate]);
  if (isRouteErrorResponse(error) && error.status === 404)
    return (
      <Suspense>
        <NotFound />
      </Suspense>
    );
  return (
    <Frame title="Failed">
      {error instanceof PageMissing ? (
        <Missing />
      ) : error instanceof Refusal || error instanceof Unreachable ? (
        <Failure error={error} again={() => void revalidate()} />
      ) : (
        <Broken error={error} />
      )}
    </Frame>
  );
}

function Missing() {
  const [away, setAway] = useState(false);
  const again = async () => {
    setAway(false);
    if (await isUp()) location.reload();
    else setAway(true);
  };
  return (
    <Notice title="This page could not be loaded">
      <p>
        {navigator.onLine
          ? "The service did not send the page. It may be restarting, or a newer version is installed."
          : "There is no connection. The page opens when the connection is back."}{" "}
        What you typed is saved.
      </p>
      <p className="mt-3">
        <button type="button" className="act" onClick={() => void again()}>
          Try again
        </button>
      </p>
      {away && (
        <p role="status" className="mt-2">
          The service does not answer yet.
        </p>
      )}
    </Notice>
  );
}

function Broken({ error }: { error: unknown }) {
  return (
    <Notice title="This page failed">
      <p>The console has a bug. What you typed is saved. Reload the page, or open another one.</p>
      <p className="mt-3 flex gap-5">
        <button type="button" className="act" onClick={() => location.reload()}>
          Reload
        </button>
        <a className="act" href="/">
          Ranking
        </a>
      </p>
      <details className="mt-4 text-[13px] text-soft">
        <summary>Details for a bug report</summary>
        <pre className="mt-2 overflow-x-auto whitespace-pre-wrap">{details(error)}</pre>
      </details>
    </Notice>
  );
}

function Notice({ title, children }: { title: string; children: ReactNode }) {
  return (
    <div role="alert" className="my-8 max-w-xl border-l-2 border-accent pl-4">
      <h1 className="mb-1 text-[18px]">{title}</h1>
      {children}
    </div>
  );
}

const details = (error: unknown) =>
  [location.href, navigator.userAgent, error instanceof Error ? (error.stack ?? error.message) : String(error)].join(
    "\n",
  );

/** What is shown when the layout itself fails: no part of the console that could fail too. */
export function ConsoleFailed() {
  const error = useRouteError();
  return (
    <main id="page" className="mx-auto max-w-[1280px] p-8">
      <Broken error={error} />
    </main>
  );
}

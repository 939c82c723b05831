import { dismissFailure, undo, useFailedRemoval, useRemovals } from "../removals";

/** At the foot of the page: what was just removed, with the way back. */
export function Removals() {
  const removals = useRemovals();
  const failed = useFailedRemoval();
  return (
    <div className="pointer-events-none fixed inset-x-0 bottom-4 z-10 flex flex-col items-center gap-2 px-4">
      <div role="status" className="contents">
        {removals.map((r) => (
          <p
            key={r.key}
            className="pointer-events-auto flex items-baseline gap-5 border border-ink border-l-accent bg-paper px-4 py-2"
          >
            <span>Removed: {r.words}</span>
            <button type="button" className="act" onClick={() => undo(r.key)}>
              Undo
            </button>
          </p>
        ))}
      </div>
      {failed && (
        <p
          role="alert"
          className="pointer-events-auto flex items-baseline gap-5 border border-accent bg-paper px-4 py-2 text-accent"
        >
          <span>
            Could not remove: {failed.words}. {failed.error.message}
          </span>
          <button type="button" className="act" onClick={dismissFailure}>
            Close
          </button>
        </p>
      )}
    </div>
  );
}

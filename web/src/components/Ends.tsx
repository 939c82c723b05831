import { Refused } from "./States";

/** How a form in a grid ends: its act, a way to leave it, and why it was refused. */
export function Ends({
  act,
  main,
  pending,
  error,
  onLeave,
}: {
  act: string;
  main: boolean;
  pending: boolean;
  error: Error | null;
  onLeave?: () => void;
}) {
  return (
    <>
      <span className="flex gap-6 md:col-span-2">
        <button type="submit" className={main ? "main-act" : "act"} disabled={pending}>
          {act}
        </button>
        {onLeave && (
          <button type="button" className="act" onClick={onLeave}>
            Cancel
          </button>
        )}
      </span>
      <Refused error={error} className="md:col-span-2" />
    </>
  );
}

import { useEffect, useRef, useState } from "react";
import { Refusal, Unreachable } from "../../api";
import { Failure } from "../../components/States";

/** What a frame that has loaded says is wrong; nothing where it shows the page. */
function wrongIn(inside: Document | null | undefined): Error | undefined {
  if (!inside) return new Unreachable("The service cannot be reached.");
  if (inside.contentType !== "application/problem+json") return undefined;
  return new Refusal(JSON.parse(inside.body.textContent ?? ""));
}

/** The page as it would be published now, beside what is being written. */
export function Preview({ name, count, part }: { name: string; count: number; part: string }) {
  const address = `/api/v1/reports/${name}/draft/page`;
  const frame = useRef<HTMLIFrameElement>(null);
  const [loading, setLoading] = useState(true);
  const [wrong, setWrong] = useState<Error>();
  const at = useRef(0);
  const fetched = useRef(count);
  const there = () => frame.current?.contentWindow;
  const again = () => {
    setLoading(true);
    there()?.location.replace(address); // no step back in the browser leads through drafts
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: another state of the draft is what it waits for
  useEffect(() => {
    if (fetched.current === count) return;
    fetched.current = count;
    again();
  }, [count]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another part is what it waits for
  useEffect(() => {
    there()?.document.getElementById(part)?.scrollIntoView({ block: "start" });
  }, [part]);
  return (
    <section aria-label="Preview" className="lg:sticky lg:top-14 lg:h-[calc(100vh-5rem)]">
      <p className="flex items-baseline justify-between text-[13px] text-soft">
        <span role="status">{loading ? "Loading the page…" : "As it would be published now"}</span>
        <a className="act" href={address} target="_blank" rel="noreferrer">
          Open on its own page
        </a>
      </p>
      {wrong && <Failure error={wrong} again={again} />}
      <iframe
        ref={frame}
        title="Preview of the report"
        sandbox="allow-same-origin"
        className={`h-[70vh] w-full border border-rule lg:h-[calc(100%-2rem)] ${wrong ? "hidden" : ""}`}
        src={address}
        onLoad={() => {
          setLoading(false);
          setWrong(wrongIn(frame.current?.contentDocument));
          // A page laid out anew stays where one was reading.
          const inside = there();
          inside?.scrollTo(0, at.current);
          inside?.addEventListener("scroll", () => (at.current = inside.scrollY), { passive: true });
        }}
      />
    </section>
  );
}

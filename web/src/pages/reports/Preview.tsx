import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Refusal, Unreachable } from "../../api";
import { Failure } from "../../components/States";
import { sourceKey } from "../../keys";

async function fetchPage(name: string) {
  let reply: Response;
  try {
    reply = await fetch(`/api/v1/reports/${name}/draft/page`);
  } catch {
    throw new Unreachable("The service cannot be reached.");
  }
  if (!reply.ok) throw new Refusal(await reply.json());
  return reply.text();
}

/** The page as it would be published now, beside what is being written. */
export function Preview({ name, count, part }: { name: string; count: number; part: string }) {
  const page = useQuery({
    queryKey: sourceKey("reportPreview", name, count),
    queryFn: () => fetchPage(name),
    notifyOnChangeProps: "all",
    placeholderData: (old) => old,
    retry: false,
    gcTime: 0,
  });
  const frame = useRef<HTMLIFrameElement>(null);
  const at = useRef(0);
  const there = () => frame.current?.contentWindow;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another part is what it waits for
  useEffect(() => {
    there()?.document.getElementById(part)?.scrollIntoView({ block: "start" });
  }, [part]);
  return (
    <section aria-label="Preview" className="lg:sticky lg:top-14 lg:h-[calc(100vh-5rem)]">
      <p className="flex items-baseline justify-between text-[13px] text-soft">
        <span role="status">{page.isFetching ? "Fetching the page…" : "As it would be published now"}</span>
        <a className="act" href={`/api/v1/reports/${name}/draft/page`} target="_blank" rel="noreferrer">
          On a page of its own
        </a>
      </p>
      {page.isError ? (
        <Failure error={page.error} again={() => page.refetch()} />
      ) : (
        <iframe
          ref={frame}
          title="Preview of the report"
          sandbox="allow-same-origin"
          className="h-[70vh] w-full border border-rule lg:h-[calc(100%-2rem)]"
          srcDoc={page.data}
          onLoad={() => {
            // A page laid out anew stays where one was reading.
            const inside = there();
            inside?.scrollTo(0, at.current);
            inside?.addEventListener("scroll", () => (at.current = inside.scrollY), { passive: true });
          }}
        />
      )}
    </section>
  );
}

import { useState } from "react";
import { useAbout } from "../session";

/** The code that shows a ranking or a scorecard in another page, where the administrator allows that. */
export function Framed({ path, title, height }: { path: string; title: string; height: number }) {
  const frames = useAbout().data?.frames;
  const [said, setSaid] = useState("");
  if (!frames) return null;
  const code = `<iframe src="${location.origin}${path}" title="${title.replaceAll('"', "&quot;")}" width="100%" height="${height}" style="border:0" loading="lazy"></iframe>`;
  const copy = () =>
    navigator.clipboard.writeText(code).then(
      () => setSaid("Copied"),
      () => setSaid("The browser does not allow copying here. Select the text instead."),
    );
  return (
    <details className="border-b border-rule py-1 text-[13px]">
      <summary className="cursor-pointer text-accent">Embed this in another page</summary>
      <code className="my-2 block bg-wash p-2 break-all">{code}</code>
      <button type="button" className="act" onClick={() => void copy()}>
        Copy
      </button>{" "}
      <span role="status" className="text-soft">
        {said}
      </span>
    </details>
  );
}

import { useState } from "react";

/** A text that is passed on, and a button that copies it. */
export function Copied({ text }: { text: string }) {
  const [copied, setCopied] = useState(false);
  return (
    <>
      <code className="bg-chosen px-1 break-all">{text}</code>{" "}
      <button
        type="button"
        className="act ml-2"
        onClick={() => void navigator.clipboard?.writeText(text).then(() => setCopied(true))}
      >
        {copied ? "Copied" : "Copy"}
      </button>
    </>
  );
}

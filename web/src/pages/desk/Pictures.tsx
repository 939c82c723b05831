import { useRef, useState, type ClipboardEvent, type DragEvent, type ReactNode } from "react";
import { Refused } from "../../components/States";
import { fileAddress, isPicture, type useEvidence, type Evidence } from "../../evidence";
import { rounded } from "../../numbers";
import { useDraft } from "../../drafts";

/** A place that files are dropped on or pasted into. */
export function Drop({
  label,
  onFiles,
  children,
}: {
  label: string;
  onFiles: (files: File[]) => void;
  children: ReactNode;
}) {
  const [over, setOver] = useState(false);
  const drop = (e: DragEvent) => {
    e.preventDefault();
    setOver(false);
    if (e.dataTransfer.files.length) onFiles([...e.dataTransfer.files]);
  };
  const paste = (e: ClipboardEvent) => {
    if (!e.clipboardData.files.length) return;
    e.preventDefault();
    onFiles([...e.clipboardData.files]);
  };
  return (
    <div
      role="group"
      aria-label={label}
      onDragOver={(e) => (e.preventDefault(), setOver(true))}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
      onPaste={paste}
      className={over ? "bg-chosen outline-2 outline-accent outline-dashed" : ""}
    >
      {children}
    </div>
  );
}

/** Chooses files by a dialog; what cannot drop or paste can do this. */
export function ChooseFiles({ name, onFiles }: { name: string; onFiles: (files: File[]) => void }) {
  const field = useRef<HTMLInputElement>(null);
  return (
    <>
      <button type="button" className="act" onClick={() => field.current?.click()}>
        {name}
      </button>
      <input
        ref={field}
        type="file"
        multiple
        hidden
        aria-label={name}
        onChange={(e) => {
          if (e.target.files?.length) onFiles([...e.target.files]);
          e.target.value = "";
        }}
      />
    </>
  );
}

export function EvidenceList({ evidence }: { evidence: Evidence[] }) {
  if (!evidence.length) return null;
  return (
    <ul className="my-2 flex flex-wrap gap-3">
      {evidence.map((e) => (
        <li key={e.id} className="max-w-[150px] text-[12px] text-soft">
          {e.link ? (
            <a className="act" href={e.link} target="_blank" rel="noreferrer">
              {new URL(e.link).hostname}
              {e.timeCode && ` at ${e.timeCode}`}
            </a>
          ) : isPicture(e) ? (
            <a
              className="inline-block min-h-[24px] min-w-[24px]"
              href={fileAddress(e)}
              target="_blank"
              rel="noreferrer"
            >
              <img
                src={fileAddress(e)}
                alt={e.caption || e.name || "picture"}
                className="max-h-[90px] max-w-full border border-rule"
                loading="lazy"
              />
            </a>
          ) : (
            <a className="act" href={fileAddress(e)} download={e.name || "file"}>
              {e.name || "file"}
            </a>
          )}
          <span className="block truncate">
            {[e.caption, e.size && !isPicture(e) && `${rounded(e.size / 1024, 0)} KiB`].filter(Boolean).join(", ")}
          </span>
        </li>
      ))}
    </ul>
  );
}

type Adding = ReturnType<typeof useEvidence>;

/** Evidence of a reading or an entry: what is there, and more of it. */
export function EvidenceOf({
  add,
  of,
  evidence,
  open,
}: {
  add: Adding;
  of: string;
  evidence: Evidence[];
  open: boolean;
}) {
  const [link, setLink, dropLink] = useDraft(`link of ${of}`, "");
  const [timeCode, setTimeCode, dropTimeCode] = useDraft(`time code of ${of}`, "");
  return (
    <>
      <EvidenceList evidence={evidence} />
      {open && (
        <form
          className="my-2 flex flex-wrap items-end gap-4 text-[13px]"
          onSubmit={(e) => {
            e.preventDefault();
            if (link) add.mutate({ link, timeCode, of }, { onSuccess: () => (dropLink(), dropTimeCode()) });
          }}
        >
          <ChooseFiles name="Choose pictures or logs" onFiles={(files) => add.mutate({ files, of })} />
          <span className="text-soft">or drop or paste pictures here (at most 8 MB each), or</span>
          <label>
            <span className="block text-[12px] text-soft">a link</span>
            <input
              className="field w-52"
              data-words
              type="url"
              value={link}
              onChange={(e) => setLink(e.target.value)}
              placeholder="https://"
            />
          </label>
          <label>
            <span className="block text-[12px] text-soft">at</span>
            <input
              className="field w-20"
              data-words
              value={timeCode}
              onChange={(e) => setTimeCode(e.target.value)}
              placeholder="12:40"
            />
          </label>
          <button type="submit" className="act" disabled={!link}>
            Add link
          </button>
        </form>
      )}
      {add.isPending && (
        <p role="status" className="text-[13px] text-soft">
          Sending…
        </p>
      )}
      <Refused error={add.error} className="text-[13px]" />
    </>
  );
}

import { forwardRef, useEffect, useImperativeHandle, useRef, useState } from "react";
import { CodeMissing, fetchCode } from "../../chunks";
import { frameAt, lasts, NoVideo, type Frames } from "../../recording";
import { rounded } from "../../numbers";

/** A recording that was chosen, and what can be done with it. */
export type ClipHandle = {
  frames?: Frames;
  frame: () => number;
  show: (frame: number) => Promise<void>;
  /** The picture that is shown. */
  still: () => Promise<Blob | undefined>;
  toggle: () => void;
};

type Props = {
  label: string;
  active: boolean;
  onChoose: () => void;
  onFrame: (frame: number) => void;
  onReady: (name: string, frames: Frames) => void;
};

/** One video: chosen from the disk, shown frame by frame. It never leaves the browser. */
export const Clip = forwardRef<ClipHandle, Props>(function Clip({ label, active, onChoose, onFrame, onReady }, ref) {
  const video = useRef<HTMLVideoElement>(null);
  const [file, setFile] = useState<File>();
  const [url, setUrl] = useState("");
  const [frames, setFrames] = useState<Frames>();
  const [frame, setFrame] = useState<number>(); // that the browser says it shows
  const [fault, setFault] = useState("");
  // The video's clock may begin elsewhere than the file's: the first frame shows the difference.
  const offset = useRef<number>(undefined);
  const shown = useRef(0);
  const heard = useRef({ onFrame, onReady });
  heard.current = { onFrame, onReady };

  useEffect(() => {
    if (!file) return;
    const made = URL.createObjectURL(file);
    offset.current = undefined;
    setUrl(made);
    setFrames(undefined);
    setFrame(undefined);
    setFault("");
    let gone = false;
    const reading = fetchCode(() => import("../../videos")).then((videos) => videos.readFrames(file));
    reading.then(
      (f) => {
        if (gone) return;
        setFrames(f);
        heard.current.onReady(file.name, f);
      },
      (error: unknown) => {
        if (!gone)
          setFault(
            error instanceof NoVideo || error instanceof CodeMissing
              ? error.message
              : "This file cannot be read as a video. Use MP4, MOV, WebM or Matroska.",
          );
      },
    );
    return () => {
      gone = true;
      URL.revokeObjectURL(made);
    };
  }, [file]);

  // What is shown is what the browser says that it shows, frame by frame.
  useEffect(() => {
    const v = video.current;
    if (!v || !frames || !url) return;
    let wanted = 0;
    const told: VideoFrameRequestCallback = (_, { mediaTime }) => {
      offset.current ??= mediaTime - frames.begins[frameAt(frames, mediaTime)];
      const now = frameAt(frames, mediaTime - offset.current + 1e-4);
      shown.current = now;
      setFrame(now);
      heard.current.onFrame(now);
      wanted = v.requestVideoFrameCallback(told);
    };
    wanted = v.requestVideoFrameCallback(told);
    // The first frame is shown once more, now that somebody listens.
    v.currentTime = frames.begins[0] + lasts(frames, 0) / 2;
    return () => v.cancelVideoFrameCallback(wanted);
  }, [frames, url]);

  const show = (to: number) =>
    new Promise<void>((resolve) => {
      const v = video.current;
      if (!v || !frames || frame === undefined) return resolve();
      const goal = Math.min(Math.max(to, 0), frames.begins.length - 1);
      v.pause();
      if (goal === shown.current) return resolve();
      const done = () => {
        window.clearTimeout(late);
        resolve();
      };
      const late = window.setTimeout(done, 3000);
      v.addEventListener("seeked", () => v.requestVideoFrameCallback(done), { once: true });
      v.currentTime = frames.begins[goal] + (offset.current ?? 0) + lasts(frames, goal) / 2;
    });

  useImperativeHandle(ref, () => ({
    frames: frame === undefined ? undefined : frames,
    frame: () => shown.current,
    show,
    toggle: () => {
      const v = video.current;
      if (!v) return;
      if (v.paused) void v.play();
      else v.pause();
    },
    still: () => {
      const v = video.current;
      if (!v?.videoWidth) return Promise.resolve(undefined);
      const canvas = document.createElement("canvas");
      const scale = Math.min(1, 1280 / v.videoWidth);
      canvas.width = Math.round(v.videoWidth * scale);
      canvas.height = Math.round(v.videoHeight * scale);
      canvas.getContext("2d")?.drawImage(v, 0, 0, canvas.width, canvas.height);
      return new Promise((resolve) => canvas.toBlob((b) => resolve(b ?? undefined), "image/png"));
    },
  }));

  return (
    <figure className={`min-w-0 border-t-2 pt-1 ${active ? "border-accent" : "border-rule"}`}>
      <figcaption className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
        <button type="button" className={active ? "font-semibold" : "act"} aria-pressed={active} onClick={onChoose}>
          {label}
        </button>
        {frames && frame !== undefined && (
          <span className="text-soft" data-frame={frame}>
            frame {frame} of {frames.begins.length} · {rounded(frames.begins[frame], 3)} s
          </span>
        )}
      </figcaption>
      {url && (
        <video
          ref={video}
          src={url}
          muted
          playsInline
          preload="auto"
          className="mt-1 block max-h-[52vh] w-full bg-wash"
        />
      )}
      <label className="mt-1 block text-[13px] text-soft">
        {url ? "Another file" : "Choose a video file; it stays in this browser"}
        <input
          type="file"
          accept="video/*,.mkv"
          className="mt-1 block text-ink"
          onChange={(e) => {
            if (e.target.files?.[0]) setFile(e.target.files[0]);
          }}
        />
      </label>
      {file && frame === undefined && !fault && <p role="status">Reading the frames…</p>}
      {fault && (
        <p role="alert" className="text-accent">
          {fault}
        </p>
      )}
    </figure>
  );
});

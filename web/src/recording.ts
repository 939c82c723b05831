import { secondsPer } from "./times";

/** A recording's frames: when each begins, in seconds by the video's own clock, ascending, and when the last ends. */
export type Frames = { begins: number[]; end: number };

/** Where something was marked in a recording: frames by number from 0. */
export type Marks = { begin: number; end: number };

/** What a recording says: seconds from one frame to another, and how long a frame takes there. */
export type Timed = { seconds: number; resolution: number };

/** How long a frame is shown, in seconds. */
export function lasts(f: Frames, frame: number): number {
  return (frame + 1 < f.begins.length ? f.begins[frame + 1] : f.end) - f.begins[frame];
}

/** The frame that is shown at a moment of the video. */
export function frameAt(f: Frames, seconds: number): number {
  let low = 0;
  let high = f.begins.length - 1;
  while (low < high) {
    const middle = Math.ceil((low + high) / 2);
    if (f.begins[middle] <= seconds + 1e-6) low = middle;
    else high = middle - 1;
  }
  return low;
}

/**
 * What passes between two marks. Something that is first seen in a frame happened since the frame before: the
 * resolution is the longer of the two frames before the marks.
 */
export function timed(f: Frames, m: Marks): Timed {
  const before = (frame: number) => lasts(f, Math.max(0, frame - 1));
  return {
    seconds: f.begins[m.end] - f.begins[m.begin],
    resolution: Math.max(before(m.begin), before(m.end)),
  };
}

/** The median of runs, and the coarsest of their resolutions. */
export function summed(runs: Timed[]): Timed | undefined {
  if (runs.length === 0) return undefined;
  const sorted = runs.map((r) => r.seconds).sort((a, b) => a - b);
  const middle = sorted.length >> 1;
  return {
    seconds: sorted.length % 2 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2,
    resolution: Math.max(...runs.map((r) => r.resolution)),
  };
}

/**
 * Contenders by their time, the shortest first. Those who differ from the first of a place by less than a frame share
 * it: that is too close to call.
 */
export function placed<T>(all: { of: T; time: Timed }[]): T[][] {
  const sorted = [...all].sort((a, b) => a.time.seconds - b.time.seconds);
  const places: { first: Timed; all: T[] }[] = [];
  for (const { of, time } of sorted) {
    const last = places[places.length - 1];
    const frame = last && Math.max(last.first.resolution, time.resolution);
    if (last && time.seconds - last.first.seconds < frame - 1e-6) last.all.push(of);
    else places.push({ first: time, all: [of] });
  }
  return places.map((p) => p.all);
}

/** Seconds in a criterion's unit, to a tenth of a millisecond; undefined where the unit is no time. */
export function inUnit(seconds: number, unit: string | undefined): number | undefined {
  const per = secondsPer[unit ?? ""];
  return per === undefined ? undefined : Math.round((seconds / per) * 1e6) / 1e6;
}

/** A file without what can be timed, in words. */
export class NoVideo extends Error {}

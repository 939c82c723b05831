import { BlobSource, EncodedPacketSink, Input, MATROSKA, MP4, QTFF, WEBM } from "mediabunny";
import { lasts, NoVideo, type Frames } from "./recording";

/** Reads when each frame of a video file begins. The file stays in the browser. */
export async function readFrames(file: Blob): Promise<Frames> {
  const input = new Input({ source: new BlobSource(file), formats: [MP4, QTFF, WEBM, MATROSKA] });
  const track = await input.getPrimaryVideoTrack();
  if (!track) throw new NoVideo("This file has no picture.");
  const begins: number[] = [];
  let end = 0;
  for await (const p of new EncodedPacketSink(track).packets(undefined, undefined, { metadataOnly: true })) {
    begins.push(p.timestamp);
    end = Math.max(end, p.timestamp + p.duration);
  }
  begins.sort((a, b) => a - b);
  if (begins.length < 2) throw new NoVideo("This file has no video: it has fewer than two frames.");
  // A container without the duration of its last frame.
  if (end <= begins[begins.length - 1]) end = begins[begins.length - 1] + lasts({ begins, end }, begins.length - 2);
  return { begins, end };
}

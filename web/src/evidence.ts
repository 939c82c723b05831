import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, Refusal, take, Unreachable, type Problem, type Schemas } from "./api";
import { outdated, sourceKey } from "./keys";
import { newID } from "./ids";

export type Evidence = Schemas["Evidence"];

/** Puts a file onto the service and gives the name that it is kept under. */
async function upload(file: File): Promise<string> {
  let response: Response;
  try {
    response = await fetch("/api/v1/files", {
      method: "POST",
      body: file,
      headers: { "Content-Type": "application/octet-stream" },
    });
  } catch {
    throw new Unreachable("No connection: the file was not sent. Add it again when the service answers.");
  }
  const body: unknown = await response.json().catch(() => undefined);
  if (!response.ok) {
    if (body && typeof body === "object" && "detail" in body) throw new Refusal(body as Problem);
    throw new Unreachable(`The service answered ${response.status}.`);
  }
  return (body as { sha256: string }).sha256;
}

type About = { of?: string; shot?: string; caption?: string };

async function putEntry(review: string, about: About & Partial<Evidence>) {
  const id = newID();
  await take(
    api.PUT("/reviews/{id}/entries/{entry}", {
      params: { path: { id: review, entry: id } },
      body: { evidence: { id, ...about } },
    }),
  );
}

/** Adds a file to a review's record, as evidence of something. */
export async function putEvidence(review: string, { file, ...about }: About & { file: File }) {
  await putEntry(review, { ...about, sha256: await upload(file), name: file.name.slice(0, 200) });
}

/** Adds files or a link to a review's record, as evidence of something. */
export function useEvidence(review: string) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async ({
      files = [],
      link,
      timeCode,
      ...about
    }: About & { files?: File[]; link?: string; timeCode?: string }) => {
      for (const file of files) await putEvidence(review, { ...about, file });
      if (link) await putEntry(review, { ...about, link, timeCode: timeCode || undefined });
    },
    onSettled: () => outdated(queries, sourceKey("entries", review)),
  });
}

export const isPicture = (e: Evidence) => ["image/png", "image/jpeg", "image/gif", "image/webp"].includes(e.type ?? "");

export const fileAddress = (e: Evidence) => `/api/v1/files/${e.sha256}`;

import { Refusal, Unreachable, seen, type Problem, type Schemas } from "./api";

export type Mapping = Schemas["Mapping"];
export type What = "catalogue" | "readings" | "bundle" | "system";
export type Fate = "new" | "same" | "replaces" | "changes" | "refused";

export type Row = {
  line?: number;
  fate: Fate;
  subject?: string;
  criterion?: string;
  reviewer?: string;
  rig?: string;
  answer?: string;
  column?: string;
  why?: string;
};
export type Done = {
  new: number;
  same: number;
  replaces: number;
  changes: number;
  refused: number;
  written: boolean;
  change?: number;
};
export type Progress = { phase: string; done: number; of: number };
export type Glance = { columns: string[]; rows: string[][]; tests: string[] };

export type Options = {
  form?: string;
  mapping?: string;
  inline?: Mapping;
  fields?: Record<string, string>;
  trial?: boolean;
  rows?: "all" | "changed" | "refused";
  date?: string;
  model?: string;
};

/** The fields of a reading that a column may hold, as the mapping calls them. */
export const fields = [
  "edition",
  "review",
  "criterion",
  "answer",
  "unit",
  "rig",
  "at",
  "reviewer",
  "method",
  "setup",
  "phase",
  "system",
  "notTested",
  "notApplicable",
  "adjustment",
  "adjustmentReason",
  "bound",
  "disturbance",
  "repeat",
  "note",
  "id",
  "replaces",
  "boots",
] as const;

const endings: Record<string, string> = {
  csv: "csv",
  tsv: "csv",
  json: "json",
  jsonl: "jsonl",
  ndjson: "jsonl",
  yaml: "yaml",
  yml: "yaml",
  xlsx: "xlsx",
  tap: "tap",
};

/** The form of a file, by its name. */
export const formOf = (name: string) => endings[name.split(".").pop()?.toLowerCase() ?? ""] ?? "csv";

async function send(what: What | "look", options: Options, file: File): Promise<Response> {
  const form = new FormData();
  form.append("options", JSON.stringify(options));
  form.append("file", file);
  let response: Response;
  try {
    response = await fetch(`/api/v1/imports/${what}`, { method: "POST", body: form });
  } catch {
    throw new Unreachable("The service cannot be reached. Nothing was imported.");
  }
  if (response.ok) return response;
  const problem = (await response.json().catch(() => undefined)) as Problem | undefined;
  if (!problem?.detail) throw new Unreachable(`The service answered ${response.status}.`);
  throw new Refusal(problem);
}

/** Glances into a file: its columns and first rows, or the names of its tests. */
export async function look(options: Options, file: File): Promise<Glance> {
  return (await send("look", options, file)).json();
}

/** Sends a file and reports the outcome line by line. */
export async function take(
  what: What,
  options: Options,
  file: File,
  tell: { row: (r: Row) => void; progress: (p: Progress) => void },
): Promise<Done> {
  const response = await send(what, options, file);
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read().catch(() => ({ value: undefined, done: true as const }));
    if (value) rest += value;
    const lines = rest.split("\n");
    rest = lines.pop() ?? "";
    for (const line of lines) {
      const said = JSON.parse(line) as { row?: Row; progress?: Progress; done?: Done; failed?: Problem };
      if (said.row) tell.row(said.row);
      if (said.progress) tell.progress(said.progress);
      if (said.failed) throw new Refusal(said.failed);
      if (said.done) {
        if (said.done.change) seen(said.done.change);
        return said.done;
      }
    }
    if (done)
      throw new Unreachable(
        "The connection was lost during the import. It is not known whether the file was imported. Importing it again is safe.",
      );
  }
}

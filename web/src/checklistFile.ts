import { parse } from "yaml";
import type { Checklist } from "./checklist";

/** Reads a checklist from a file of YAML, of which JSON is a part. */
export async function readChecklist(file: File): Promise<Checklist> {
  let read: unknown;
  try {
    read = parse(await file.text());
  } catch (error) {
    throw new Error(`${file.name} is neither YAML nor JSON: ${(error as Error).message}`, { cause: error });
  }
  if (typeof read !== "object" || !read || !("sections" in read))
    throw new Error(`${file.name} is not a checklist: a checklist has a key, a title and sections.`);
  return read as Checklist;
}

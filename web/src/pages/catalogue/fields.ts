import type { Field } from "./Form";

export const distributionFields: Field[] = [
  { name: "name", label: "Name", kind: "text" },
  { name: "model", label: "Release model", kind: "choice", options: ["fixed", "rolling", "semi-rolling"] },
  { name: "family", label: "Based on", hint: "keys, nearest first", kind: "list" },
  { name: "aim", label: "Stated aim", kind: "words" },
  { name: "retired", label: "Retired: kept, no longer offered", kind: "yes" },
];

export const releaseFields: Field[] = [
  { name: "date", label: "Date", kind: "date" },
  { name: "codename", label: "Codename", kind: "text" },
  { name: "tier", label: "Support tier", kind: "choice", options: ["", "long-term", "regular", "snapshot"] },
  { name: "stage", label: "Stage", kind: "choice", options: ["", "pre-release", "final"] },
  { name: "endOfSupport", label: "End of support", kind: "date" },
  { name: "replaces", label: "Replaces", hint: "versions", kind: "list" },
  { name: "basedOn", label: "Based on", hint: "distribution/release", kind: "text" },
  { name: "retired", label: "Retired: kept, no longer offered", kind: "yes" },
];

export const editionFields: Field[] = [
  { name: "desktop", label: "Desktop", kind: "text" },
  { name: "purpose", label: "Purpose", kind: "text" },
  { name: "architecture", label: "Architecture", kind: "text" },
  { name: "profile", label: "Profile", hint: "full, minimal", kind: "text" },
  { name: "line", label: "Edition line", hint: "empty: its own key", kind: "text" },
  { name: "memoryMiB", label: "Memory required, MiB", kind: "number" },
  { name: "diskGiB", label: "Disk required, GiB", kind: "number" },
  { name: "retired", label: "Retired: kept, no longer offered", kind: "yes" },
];

export const rigFields: Field[] = [
  { name: "name", label: "Name", kind: "text" },
  { name: "class", label: "Class", kind: "choice", options: ["", "older", "current", "low-power", "virtual"] },
  { name: "cpu", label: "Processor", kind: "text" },
  { name: "cores", label: "Cores", kind: "number" },
  { name: "memoryMiB", label: "Memory, MiB", kind: "number" },
  { name: "graphics", label: "Graphics", kind: "text" },
  { name: "storage", label: "Storage", kind: "text" },
  { name: "equipment", label: "Equipment", kind: "list" },
  { name: "weight", label: "Weight among the rigs", hint: "empty: 1", kind: "number" },
  { name: "replaces", label: "Which rig this machine was before it changed", kind: "text" },
  { name: "virtual", label: "A virtual machine", kind: "yes" },
  { name: "retired", label: "Retired: kept, no longer offered", kind: "yes" },
];

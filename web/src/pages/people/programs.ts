const browsers: [RegExp, string][] = [
  [/Edg\//, "Edge"],
  [/OPR\//, "Opera"],
  [/Firefox\//, "Firefox"],
  [/Chrom(e|ium)\//, "Chromium or Chrome"],
  [/Safari\//, "Safari"],
];

const systems: [RegExp, string][] = [
  [/Android/, "Android"],
  [/iPhone|iPad/, "iOS"],
  [/Windows/, "Windows"],
  [/Mac OS X/, "macOS"],
  [/Linux|X11/, "Linux"],
];

const named = (of: [RegExp, string][], text: string) => of.find(([r]) => r.test(text))?.[1];

/** What a program says of itself, in few words: "Firefox on Linux". */
export function programOf(agent: string): string {
  const browser = named(browsers, agent);
  const system = named(systems, agent);
  if (browser) return system ? `${browser} on ${system}` : browser;
  return agent.split(" ")[0] || "unknown";
}

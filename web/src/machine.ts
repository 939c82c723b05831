/** What a machine has, as somebody says it; memory in GiB. */
export type Machine = {
  memory?: number;
  disk?: number;
  cores?: number;
  processor: string;
  graphics: string;
  architecture: string;
};

/** Machines to begin with. */
export const examples: { title: string; machine: Machine }[] = [
  {
    title: "A laptop from 2012",
    machine: { memory: 4, disk: 120, cores: 2, processor: "", graphics: "", architecture: "amd64" },
  },
  {
    title: "A small desktop",
    machine: { memory: 8, disk: 240, cores: 4, processor: "", graphics: "", architecture: "amd64" },
  },
  {
    title: "A very old netbook",
    machine: { memory: 1, disk: 30, cores: 1, processor: "", graphics: "", architecture: "" },
  },
];

type Hints = { architecture?: string; bitness?: string };
type Asked = Navigator & {
  deviceMemory?: number;
  userAgentData?: { getHighEntropyValues: (names: string[]) => Promise<Hints> };
};

// Architectures as browsers name them, and as the catalogue does.
const debianNames = new Map([
  ["x86 64", "amd64"],
  ["x86 32", "i386"],
  ["arm 64", "arm64"],
]);

/** What the browser reports about its machine; unknown values are left out. */
export async function ownMachine(): Promise<Partial<Machine>> {
  const browser = navigator as Asked;
  const own: Partial<Machine> = {};
  if (browser.hardwareConcurrency) own.cores = browser.hardwareConcurrency;
  if (browser.deviceMemory) own.memory = browser.deviceMemory; // browsers say 8 for anything above
  const hints: Hints =
    (await browser.userAgentData?.getHighEntropyValues(["architecture", "bitness"]).catch(() => undefined)) ?? {};
  const architecture = debianNames.get(`${hints.architecture} ${hints.bitness}`);
  if (architecture) own.architecture = architecture;
  const graphics = renderer();
  if (graphics) own.graphics = graphics;
  return own;
}

/** The graphics adapter as the browser's 3D canvas names it, shortened to its name. */
function renderer(): string {
  const gl = document.createElement("canvas").getContext("webgl");
  const info = gl?.getExtension("WEBGL_debug_renderer_info");
  const whole = info ? String(gl?.getParameter(info.UNMASKED_RENDERER_WEBGL) ?? "") : "";
  return (/^ANGLE \(([^,]*), ([^,(]*)/.exec(whole)?.[2] ?? whole).trim().slice(0, 80);
}

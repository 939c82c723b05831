import createClient, { type Middleware } from "openapi-fetch";
import type { components, paths } from "./contract.gen";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];

// What was written last: every later read asks to see at least that.
let lastChange = "";

/** Later reads ask to see at least the change with that number. */
export function seen(number: number) {
  if (number > Number(lastChange)) lastChange = String(number);
}

// The newest change that every answer so far has seen.
let seenByAll: number | undefined;

/** The number of a change that every answer since the page was opened has seen; undefined while no answer had one. */
export const oldestSeen = () => seenByAll;

const seeOwnWrites: Middleware = {
  onRequest({ request }) {
    if (request.method === "GET" && lastChange) request.headers.set("Dtally-After", lastChange);
  },
  onResponse({ response }) {
    lastChange = response.headers.get("Dtally-Change") ?? lastChange;
    const saw = response.headers.get("Dtally-Seen");
    if (saw !== null) seenByAll = Math.min(seenByAll ?? Number.POSITIVE_INFINITY, Number(saw));
  },
};

/**
 * The keys of requests whose outcome is unknown: pressed again, the same request has the
 * same key, and the service does nothing twice.
 */
const pending = new Map<string, string>();

const writeOnce: Middleware = {
  async onRequest({ request }) {
    if (request.method === "GET") return;
    const name = request.method + request.url + request.headers.get("If-Match") + (await request.clone().text());
    const key = pending.get(name) ?? crypto.getRandomValues(new Uint32Array(6)).join();
    pending.set(name, key);
    request.headers.set("Idempotency-Key", key);
  },
  onResponse({ request, response }) {
    // 502 and 504 are a proxy's, and 503 can mean that the outcome is unknown.
    if (response.status < 502)
      pending.forEach((key, name) => request.headers.get("Idempotency-Key") === key && pending.delete(name));
  },
};

export const api = createClient<paths>({ baseUrl: "/api/v1" });
api.use(seeOwnWrites, writeOnce);

/** A refusal by the service, with its problem. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** No answer at all: the connection is lost, or the service is away. */
export class Unreachable extends Error {}

type Reply<T> = { data?: T; error?: unknown; response: Response };

/** Waits for a call and gives what it carries, or throws a Refusal or Unreachable. */
export async function take<T>(call: Promise<Reply<T>>): Promise<T> {
  return (await takeWhole(call)).data;
}

/** Like take, with the tag that an edit of what was read must name. */
export async function takeWhole<T>(call: Promise<Reply<T>>): Promise<{ data: T; etag: string }> {
  let reply: Reply<T>;
  try {
    reply = await call;
  } catch {
    throw new Unreachable("The service cannot be reached.");
  }
  if (reply.response.ok) return { data: reply.data as T, etag: reply.response.headers.get("ETag") ?? "" };
  const problem = reply.error as Partial<Problem> | undefined;
  if (!problem?.detail || reply.response.status === 503) {
    throw new Unreachable(problem?.detail ?? `The service answered ${reply.response.status}.`);
  }
  throw new Refusal(problem as Problem);
}

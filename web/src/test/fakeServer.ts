/** A server whose answers a test sets; a request nobody expected fails the test. */
import { http, HttpResponse, type HttpHandler } from "msw";
import { setupServer } from "msw/node";
import { afterAll, afterEach, beforeAll, expect } from "vitest";

export interface Sent {
  method: string;
  path: string;
  query: URLSearchParams;
  body: unknown;
}

type Answer = (sent: Sent) => unknown | Promise<unknown>;
type Method = "get" | "put" | "post" | "patch" | "delete";

// A store has no feeds and no notes, and its products no problems, unless a test says so.
const worker = setupServer(
  http.get("*/api/v1/stores/:store/arrivals", () => HttpResponse.json({ feeds: [], upload_limit: 1 })),
  http.get("*/api/v1/stores/:store/notes", () => HttpResponse.json({ notes: [], open: 0, total: 0 })),
  http.get("*/api/v1/stores/:store/products/:key/problems", () =>
    HttpResponse.json({ total: 0, problems: [] }),
  ),
);
const unexpected: string[] = [];

beforeAll(() =>
  worker.listen({
    onUnhandledRequest: (request, print) => {
      unexpected.push(`${request.method} ${new URL(request.url).pathname}`);
      print.error();
    },
  }),
);
afterEach(() => {
  worker.resetHandlers();
  expect(unexpected.splice(0)).toEqual([]);
});
afterAll(() => worker.close());

/** What a test answers, and what was asked. */
export class FakeServer {
  readonly sent: Sent[] = [];

  /** ``on("PUT /api/v1/feeds/1/draft", ...)``; a Problem is answered with its own status. */
  on(what: string, answer: Answer): this {
    worker.use(this.handler(what, answer));
    return this;
  }

  /** A request that finds no server. */
  down(what: string): this {
    const [method, path] = what.split(" ") as [string, string];
    worker.use(http[method.toLowerCase() as Method](`*${path}`, () => HttpResponse.error()));
    return this;
  }

  calls(what: string): Sent[] {
    return this.sent.filter((s) => `${s.method} ${s.path}` === what);
  }

  private handler(what: string, answer: Answer): HttpHandler {
    const [method, path] = what.split(" ") as [string, string];
    return http[method.toLowerCase() as Method](`*${path}`, async ({ request }) => {
      const url = new URL(request.url);
      const text = await request.text();
      const isJson = request.headers.get("Content-Type")?.includes("json");
      const body = text ? ((isJson ? JSON.parse(text) : text) as unknown) : undefined;
      const sent = { method: request.method, path: url.pathname, query: url.searchParams, body };
      this.sent.push(sent);
      return answered(await answer(sent));
    });
  }
}

function answered(body: unknown): HttpResponse<string> {
  const status = (body as { status?: unknown }).status;
  const isProblem = typeof status === "number" && status >= 400;
  return new HttpResponse(JSON.stringify(body), {
    status: isProblem ? status : 200,
    headers: { "Content-Type": isProblem ? "application/problem+json" : "application/json" },
  });
}

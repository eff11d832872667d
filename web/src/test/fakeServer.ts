/** A server whose answers a test sets; a request nobody expected fails the test. */
import { vi } from "vitest";

export interface Sent {
  method: string;
  path: string;
  query: URLSearchParams;
  body: unknown;
}

type Answer = (sent: Sent) => unknown | Promise<unknown>;

export class FakeServer {
  readonly sent: Sent[] = [];
  private readonly answers = new Map<string, Answer>();

  constructor() {
    vi.stubGlobal("fetch", (request: Request) => this.handle(request));
  }

  /** ``on("PUT /api/v1/feeds/1/draft", ...)``; a Problem is answered with its own status. */
  on(what: string, answer: Answer): this {
    this.answers.set(what, answer);
    return this;
  }

  calls(what: string): Sent[] {
    return this.sent.filter((s) => `${s.method} ${s.path}` === what);
  }

  private async handle(request: Request): Promise<Response> {
    const url = new URL(request.url);
    const text = await request.text();
    const sent = {
      method: request.method,
      path: url.pathname,
      query: url.searchParams,
      body: text ? (JSON.parse(text) as unknown) : undefined,
    };
    this.sent.push(sent);
    const answer = this.answers.get(`${sent.method} ${sent.path}`);
    if (!answer) throw new Error(`unexpected request: ${sent.method} ${sent.path}`);
    const body = await answer(sent);
    const status = (body as { status?: unknown }).status;
    const isProblem = typeof status === "number" && status >= 400;
    return new Response(JSON.stringify(body), {
      status: isProblem ? status : 200,
      headers: { "Content-Type": isProblem ? "application/problem+json" : "application/json" },
    });
  }
}

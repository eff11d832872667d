/** The typed client, made from the server's own description, and how failures reach people. */
import createClient from "openapi-fetch";
import { person } from "./person";
import type { components, paths } from "./schema.gen";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];

/** A refused request, in the server's words: what, where, and what to do. */
export class Refusal extends Error {
  readonly problem: Problem;

  constructor(problem: Problem) {
    super(problem.detail || problem.title);
    this.problem = problem;
  }
}

/** The API of this server, typed by its own description. */
export const api = createClient<paths>({
  baseUrl: window.location.origin,
  // Looked up at each call, so that tests can stand in for the server.
  fetch: (request) => {
    if (person()) request.headers.set("X-Person", encodeURIComponent(person()));
    return globalThis.fetch(request);
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; throws a Refusal for anything else. */
export async function take<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await request;
  } catch {
    throw new Refusal({
      type: "about:blank",
      title: "The server does not answer.",
      status: 0,
      detail: "The server does not answer.",
      remedy: "Check that Nomotax is running, then try again.",
    });
  }
  if (answer.data !== undefined && answer.response.ok) return answer.data;
  throw new Refusal(asProblem(answer.error, answer.response.status));
}

function asProblem(error: unknown, status: number): Problem {
  if (error && typeof error === "object" && "title" in error) return error as Problem;
  return { type: "about:blank", title: `The server answered ${status}.`, status };
}

/** Sends a file as a form, with progress from 0 to 1. */
export function sendFile<T>(
  url: string,
  fields: Record<string, string | File>,
  onProgress: (share: number) => void,
): Promise<T> {
  const form = new FormData();
  for (const [name, value] of Object.entries(fields)) form.append(name, value);
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", url);
    request.responseType = "json";
    request.upload.onprogress = (e) => onProgress(e.lengthComputable ? e.loaded / e.total : 0);
    request.onload = () =>
      request.status < 300
        ? resolve(request.response as T)
        : reject(new Refusal(asProblem(request.response, request.status)));
    request.onerror = () => reject(new Refusal(asProblem(null, 0)));
    request.send(form);
  });
}

import createClient from "openapi-fetch";

import type { paths } from "./schema";

export const api = createClient<paths>({ baseUrl: "" });

/** An answer from the server that is a Problem, or none at all. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly body?: unknown,
  ) {
    super(message);
  }
}

export const OFFLINE =
  "The server does not answer. What you made is kept; it is tried again as soon as the server is back.";

/** The data of an answer; throws ApiError for anything else. */
export async function ask<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer;
  try {
    answer = await call;
  } catch {
    throw new ApiError(0, "offline", OFFLINE);
  }
  if (answer.data !== undefined) return answer.data;
  const problem = answer.error as { code?: string; message?: string } | undefined;
  throw new ApiError(
    answer.response.status,
    problem?.code ?? "error",
    problem?.message ?? `The server answered ${answer.response.status}.`,
    problem,
  );
}

/** Little-endian float32 samples. */
export async function floats(url: string, asked?: RequestInit): Promise<Float32Array<ArrayBuffer>> {
  const response = await fetch(url, asked);
  if (!response.ok)
    throw new ApiError(
      response.status,
      response.status === 404 ? "unknown-key" : "error",
      "That sound could not be fetched.",
    );
  return new Float32Array(await response.arrayBuffer());
}

/** Planar stereo float32 PCM: [left, right]. */
export async function pcm(
  url: string,
  asked?: RequestInit,
): Promise<[Float32Array<ArrayBuffer>, Float32Array<ArrayBuffer>]> {
  const both = await floats(url, asked);
  const frames = both.length / 2;
  return [both.subarray(0, frames), both.subarray(frames)];
}

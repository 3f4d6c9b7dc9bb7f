import createClient from 'openapi-fetch';
import type { components, paths } from './generated';

export type Schemas = components['schemas'];
export type Plant = Schemas['PlantOut'];
export type Finding = Schemas['FindingOut'];
export type Edit = Schemas['EditIn']['edit'];
export type EditAnswer = Schemas['EditOut'];
export type Preview = Schemas['PreviewOut'];
export type Form = Schemas['FormOut'];
export type FieldOut = Schemas['FieldOut'];
export type DeviceType = Schemas['TypeOut'];
export type Catalogue = Schemas['CatalogueOut'];
export type Remedy = Schemas['RemedyOut'];
export type Overlap = Schemas['OverlapOut'];
export type Rows = Schemas['RowsOut'];
export type Part = Schemas['PartsOut']['parts'][number];
export type PartName = Part['part'];
export type PartResult<K extends PartName> = NonNullable<Extract<Part, { part: K }>['result']>;

/** An answer that is no success: a problem document (RFC 9457). */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly field: string = '',
    readonly overlaps: Overlap[] = [],
    readonly faults: { place: string; reason: string }[] = [],
  ) {
    super(detail);
  }
}

/** The server cannot be reached. */
export class Unreachable extends Error {}

let token = '';

export const http = createClient<paths>({
  baseUrl: window.location.origin,
  fetch: async (request) => {
    if (request.method !== 'GET' && token) request.headers.set('X-CSRFToken', token);
    try {
      const response = await window.fetch(request);
      // The session has ended elsewhere or run out: the page asks for signing in again.
      if (response.status === 401) window.dispatchEvent(new Event('signed-out'));
      return response;
    } catch {
      throw new Unreachable('The server cannot be reached.');
    }
  },
});

export function useToken(csrf: string): void {
  token = csrf;
}

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** The data of an answer, or its problem thrown. */
export function got<T>(answer: Answer<T>): T {
  if (answer.response.ok) return answer.data as T;
  throw problemOf(answer.response.status, answer.error);
}

function problemOf(status: number, body: unknown): Problem {
  const told = (body ?? {}) as Partial<Schemas['Problem']>;
  return new Problem(
    status,
    told.title ?? 'Not possible',
    told.detail ?? `The server answered ${status}.`,
    told.field ?? '',
    told.overlaps ?? [],
    (told.faults ?? []) as { place: string; reason: string }[],
  );
}

/** Send a file as a form; the generated client has no types for files. */
export async function upload<T = Schemas['PlantLine']>(
  path: string,
  file: File,
  signal?: AbortSignal,
): Promise<T> {
  const body = new FormData();
  body.set('file', file);
  const response = await window.fetch(path, {
    method: 'POST',
    body,
    signal: signal ?? null,
    headers: { 'X-CSRFToken': token },
  });
  const told = await response.json().catch(() => ({}));
  if (!response.ok) throw problemOf(response.status, told);
  return told as T;
}

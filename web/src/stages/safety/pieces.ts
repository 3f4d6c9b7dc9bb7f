import { shown } from '../../kit/numbers';
import type { Segment } from './safetyWork.svelte';

/** A stretch of time that something takes, and what is said of it. */
export type Piece = { kind: string; from: number; to: number; says: string };

/** Segments one after the other from a moment on. */
export function laid(segments: Segment[], at: number): Piece[] {
  return segments.map((one) => {
    const from = at;
    at += one.worst_ms ?? 0;
    const ms = one.worst_ms == null ? 'not given' : `${shown(one.worst_ms, 5)} ms`;
    return {
      kind: one.kind,
      from,
      to: at,
      says: `${one.label}: ${ms}${one.says ? ` (${one.says})` : ''}`,
    };
  });
}

/** What follows one after the other, as kind, ms and words; nothing of what takes no time. */
export function behind(
  stretches: readonly (readonly [kind: string, ms: number, says: string])[],
  at: number,
): Piece[] {
  const found: Piece[] = [];
  for (const [kind, ms, says] of stretches) {
    if (ms) found.push({ kind, from: at, to: at + ms, says: `${says}: ${shown(ms, 5)} ms` });
    at += ms;
  }
  return found;
}

/** What braking and standstill take of a lane. */
export const stopping = (delay: number, stop: number | null | undefined) =>
  [
    ['delay', delay, 'brakes before its supply goes'],
    ['stop', stop ?? 0, 'the machine stops'],
  ] as const;

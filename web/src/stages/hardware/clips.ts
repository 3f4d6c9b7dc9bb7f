import type { Schemas } from '../../api/client';

export type Clip = Schemas['Clip'];

const KEY = 'highmoor-clip';

/** Keep a clip where every tab and plant of this browser finds it. */
export function keepClip(clip: Clip): void {
  window.localStorage.setItem(KEY, JSON.stringify(clip));
}

/** The clip kept last; null where there is none. What it holds is checked by the server. */
export function heldClip(): Clip | null {
  try {
    return JSON.parse(window.localStorage.getItem(KEY) ?? 'null') as Clip | null;
  } catch {
    return null;
  }
}

import type { Schemas } from '../../../api/client';

export type Fault = Schemas['TextFaultOut'];
export type Use = Schemas['UseTold'];
/**
 * What stands beside the lines: what is wrong, where the controller stopped, where values left their types; the
 * variables of its lines, null where nothing new is known of them.
 */
export type Beside = {
  faults: Fault[];
  uses: Use[] | null;
  stopped: { line: number; text: string } | null;
  wrapped: { line: number; times: number }[];
};
export const NOTHING: Beside = { faults: [], uses: [], stopped: null, wrapped: [] };

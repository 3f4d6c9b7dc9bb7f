import type { PartResult } from '../../api/client';

type Segment = PartResult<'profibus.line'>['segments'][number];
export type OnSegment = Segment['nodes'][number];

const LEAST = 84;
const STEP = 46;
/** The first trunk below the addresses, and what stands under the last one. */
const TOP = 30;
const BELOW = 62;

/** Somebody along the cable; a repeater stands at the end of one segment and (`step`) at the beginning of the next. */
export interface Placed {
  node: OnSegment;
  x: number;
  y: number;
  key: string;
  step: boolean;
}

/**
 * Where everybody stands: side by side with even distances, a step down behind each repeater, so that a segment is one
 * straight line however long its cables are.
 */
export function laidOut(segments: Segment[], width: number) {
  const count = segments.reduce((sum, segment) => sum + segment.nodes.length, 0);
  const columns = count - Math.max(segments.length - 1, 0);
  const pitch = Math.max(LEAST, columns > 0 ? width / columns : LEAST);
  const nodes: Placed[] = [];
  const legs: { key: string; x: number; y: number; m: number }[] = [];
  const trunks: { from: number; to: number; y: number; segment: Segment }[] = [];
  let column = 0;
  segments.forEach((segment, n) => {
    const y = TOP + n * STEP;
    const begin = n > 0 ? column - 1 : column;
    segment.nodes.forEach((node, k) => {
      const x = (begin + k + 0.5) * pitch;
      nodes.push({ node, x, y, key: `${n}.${node.row}`, step: n > 0 && k === 0 });
      const before = segment.nodes[k - 1];
      if (before && node.at_m > before.at_m)
        legs.push({ key: `${n}.${k}`, x: x - pitch / 2, y, m: node.at_m - before.at_m });
    });
    column = begin + segment.nodes.length;
    trunks.push({
      from: (begin + 0.5) * pitch,
      to: (column - 0.5) * pitch,
      y,
      segment,
    });
  });
  const levels = Math.max(segments.length - 1, 0);
  return {
    nodes,
    legs,
    trunks,
    width: columns * pitch,
    height: TOP + levels * STEP + BELOW,
  };
}

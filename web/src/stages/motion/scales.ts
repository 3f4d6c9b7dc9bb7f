import type { PartResult } from '../../api/client';

type Chain = PartResult<'axis.chain'>;

/** What of several axes can be held against each other and changed together: its path, and its unit on an axis. */
export const SCALES: { key: string; label: string; unit: (chain: Chain) => string }[] = [
  { key: 'speed', label: 'Highest speed', unit: (chain) => chain.speed_unit },
  { key: 'acceleration', label: 'Acceleration', unit: (chain) => `${chain.unit}/s²` },
  { key: 'deceleration', label: 'Deceleration', unit: (chain) => `${chain.unit}/s²` },
  { key: 'gain', label: 'Position gain', unit: () => '1/s' },
  { key: 'following', label: 'Following error allowed', unit: (chain) => chain.unit },
  { key: 'window', label: 'In position within', unit: (chain) => chain.unit },
  { key: 'peak_a', label: "Drive's peak current", unit: () => 'A' },
];

export interface Mark {
  id: string;
  name: string;
  value: number;
}

/** A scale that holds all values with room on both sides, each step on it the same factor. */
export class LogScale {
  readonly low: number;
  readonly high: number;

  constructor(
    values: number[],
    readonly width: number,
  ) {
    const kept = values.filter((value) => value > 0);
    this.low = Math.min(...kept, Infinity) / 2;
    this.high = Math.max(...kept, 0) * 2;
  }

  at(value: number): number {
    return (Math.log(value / this.low) / Math.log(this.high / this.low)) * this.width;
  }

  /** By which factor a value changes on a way along it. */
  factor(way: number): number {
    return Math.exp((way / this.width) * Math.log(this.high / this.low));
  }

  /** Round numbers along it: 1, 2 and 5 of each power of ten. */
  ticks(): number[] {
    const found = [];
    const first = Math.floor(Math.log10(this.low));
    for (let power = first; power <= Math.ceil(Math.log10(this.high)); power++)
      for (const digit of [1, 2, 5]) {
        const tick = Number((digit * 10 ** power).toPrecision(1));
        if (tick >= this.low && tick <= this.high) found.push(tick);
      }
    return found;
  }
}

/** As somebody would type it: three digits. */
export const rounded = (value: number) => Number(value.toPrecision(3));

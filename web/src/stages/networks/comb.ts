import type { PartResult } from '../../api/client';

/** Where the stations of an Ethernet network stand in the comb: a switch's below it, a device's to its right. */
export type CombNode = PartResult<'network.tree'>['nodes'][number];

/**
 * Columns and rows count from 0; `width` is how many columns a node and all behind it take, `bar` how many of them its
 * own bar spans. A switch that is `onward` stands beside the one its cable comes from.
 */
export interface Placed {
  node: CombNode;
  column: number;
  row: number;
  width: number;
  bar: number;
  onward: boolean;
}

export function placed(nodes: readonly CombNode[], said: boolean): Placed[] {
  const below = new Map<string, CombNode[]>();
  for (const node of nodes) {
    const siblings = below.get(node.upstream);
    if (siblings) siblings.push(node);
    else below.set(node.upstream, [node]);
  }
  const result: Placed[] = [];
  // A switch's children stand below it, beginning at its own column; a device's stand to its right. A switch in a
  // switch's last socket goes on to the right: a chain of twenty would otherwise be twenty rows high.
  const place = (node: CombNode, column: number, level: number, onward: boolean): number => {
    const own: Placed = { node, column, row: level, width: 1, bar: 1, onward };
    result.push(own);
    let at = node.switch ? column : column + 1;
    const children = below.get(node.station) ?? [];
    for (const [n, child] of children.entries()) {
      const goesOn = node.switch && child.switch && n === children.length - 1;
      if (goesOn) at = Math.max(at, column + 1);
      own.bar = Math.max(1, at - column);
      at += place(child, at, node.switch && !goesOn ? level + 1 : level, goesOn);
      if (!goesOn) own.bar = Math.max(1, at - column);
    }
    own.width = Math.max(1, at - column);
    return own.width;
  };
  let column = 0;
  for (const node of below.get('') ?? []) column += place(node, column, said ? 0 : 1, false);
  return result;
}

/** Room at the left for the controller, px. */
export const LEFT = 118;
const SPINE = 32;
const ROW = 50;
// Names stand upright under narrow teeth, as close as they can be read and no closer.
const LEAST_STEP = 12;
const MOST_STEP = 150;

/** The comb in pixels: wider than the room there is when its teeth would stand closer than they can be read. */
export class Drawing {
  readonly step: number;
  readonly upright: boolean;
  readonly width: number;
  readonly height: number;
  readonly level: number;
  readonly at: ReadonlyMap<string, Placed>;

  constructor(
    readonly nodes: readonly Placed[],
    room: number,
    longestName = 12,
  ) {
    const columns = Math.max(1, ...nodes.map((p) => p.column + p.width));
    const rows = 1 + Math.max(0, ...nodes.map((p) => p.row));
    this.step = Math.max(LEAST_STEP, Math.min(MOST_STEP, (room - LEFT - 4) / columns));
    this.upright = this.step < 74;
    // An upright name is as high as it is long, up to where it is cut.
    this.level = this.upright ? 28 + Math.min(80, Math.max(14, 7 * longestName)) : 64;
    this.width = Math.max(room, LEFT + columns * this.step + 4);
    this.height = (rows - 1) * ROW + SPINE + this.level;
    this.at = new Map(nodes.map((p) => [p.node.station, p]));
  }

  x(p: Placed): number {
    return LEFT + (p.column + 0.5) * this.step;
  }

  y(p: Placed): number {
    return SPINE + p.row * ROW;
  }

  barStart(p: Placed): number {
    return LEFT + p.column * this.step + this.step * 0.18;
  }

  barEnd(p: Placed): number {
    return Math.max(
      LEFT + (p.column + p.bar) * this.step - this.step * 0.18,
      this.barStart(p) + 22,
    );
  }

  /** Those of which something lies between two x, for one does not look at more. */
  within(from: number, to: number): Placed[] {
    return this.nodes.filter(
      (p) => LEFT + p.column * this.step <= to && LEFT + (p.column + p.width) * this.step >= from,
    );
  }

  /** From what it hangs on to itself: along the spine, down from a bar, or across from the device before it. */
  cable(p: Placed): string {
    const upper = this.at.get(p.node.upstream);
    if (!upper) {
      const down = p.row ? `V${this.y(p)}` : '';
      return p.node.switch && !p.row
        ? `M${LEFT - 30} ${SPINE}H${this.barStart(p)}`
        : `M${LEFT - 30} ${SPINE}H${this.x(p)}${down}`;
    }
    if (p.onward) return `M${this.barEnd(upper)} ${this.y(p)}H${this.barStart(p)}`;
    if (upper.node.switch) return `M${this.x(p)} ${this.y(upper)}V${this.y(p)}`;
    return `M${this.x(upper)} ${this.y(upper)}H${this.x(p)}`;
  }

  /** Where nobody has said how the cables run: down from the spine. */
  drop(p: Placed): string {
    return `M${this.x(p)} ${SPINE}V${this.y(p)}`;
  }

  /**
   * A cable that closes a ring: straight to a switch's bar that spans over its end, else over the heads of those
   * between; "" is the port.
   */
  arc(one: string, other: string): string {
    const [first, second] = [one, other].map((end) => this.at.get(end));
    const middle = (p: Placed | undefined) => (p ? this.x(p) : LEFT - 30);
    const along = (p: Placed | undefined, towards: number) =>
      p?.node.switch
        ? Math.min(Math.max(towards, this.barStart(p) + 6), this.barEnd(p) - 6)
        : middle(p);
    const height = (p: Placed | undefined) => (p ? this.y(p) : SPINE);
    const from = along(first, middle(second));
    const to = along(second, from);
    const over = from === to ? '' : `V${Math.min(height(first), height(second)) - 24}H${to}`;
    return `M${from} ${height(first)}${over}V${height(second)}`;
  }

  spine(): string {
    const last = this.nodes[this.nodes.length - 1];
    return last ? `M${LEFT - 30} ${SPINE}H${this.x(last)}` : '';
  }
}

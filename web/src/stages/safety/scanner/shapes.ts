export type Point = [number, number];
export type Polygon = { kind: 'polygon'; points: Point[] };
export type Sector = { kind: 'sector'; from: number; to: number; radius: number };
export type Rectangle = { kind: 'rectangle'; x: number; y: number; width: number; depth: number };
export type Shape = Polygon | Sector | Rectangle;

/** A thing of a shape that can be taken hold of: what it is called, where it is, and the shape once it is elsewhere. */
export type Handle = { key: string; label: string; at: Point; to: (at: Point) => Shape };

/** What corners snap to, and are moved by, mm. */
export const GRID = 50;
const LEAST = 50;
const rad = (degrees: number) => (degrees * Math.PI) / 180;

export const away = (from: Point, bearing: number, distance: number): Point => [
  from[0] + distance * Math.sin(rad(bearing)),
  from[1] + distance * Math.cos(rad(bearing)),
];
export const bearingOf = (from: Point, to: Point): number =>
  ((Math.atan2(to[0] - from[0], to[1] - from[1]) * 180) / Math.PI + 360) % 360;

/** To the millimetre; degrees to a tenth. */
const mm = (value: number) => Math.round(value);
const deg = (value: number) => Math.round(value * 10) / 10;

export function handles(shape: Shape, scanner: Point): Handle[] {
  if (shape.kind === 'polygon')
    return shape.points.map((at, n) => ({
      key: `p${n}`,
      label: `Corner ${n + 1}`,
      at,
      to: (to) => ({
        kind: 'polygon',
        points: shape.points.map((point, i) => (i === n ? [mm(to[0]), mm(to[1])] : point)),
      }),
    }));
  if (shape.kind === 'rectangle') return corners(shape);
  const middle = shape.from + turnOf(shape) / 2;
  const end = (key: 'from' | 'to', label: string): Handle => ({
    key,
    label,
    at: away(scanner, shape[key], shape.radius),
    to: (to) => ({ ...shape, [key]: deg(bearingOf(scanner, to)) }),
  });
  return [
    end('from', 'Begins at'),
    {
      key: 'radius',
      label: 'Radius',
      at: away(scanner, middle, shape.radius),
      to: (to) => ({
        ...shape,
        radius: Math.max(LEAST, mm(Math.hypot(to[0] - scanner[0], to[1] - scanner[1]))),
      }),
    },
    end('to', 'Ends at'),
  ];
}

/** How far a sector goes clockwise: all around where it ends as it begins. */
const turnOf = (shape: Sector) => (((shape.to - shape.from) % 360) + 360) % 360 || 360;

function corners(shape: Rectangle): Handle[] {
  const left = shape.x;
  const right = shape.x + shape.width;
  const low = shape.y;
  const high = shape.y + shape.depth;
  const between = (x1: number, x2: number, y1: number, y2: number): Rectangle => ({
    kind: 'rectangle',
    x: mm(Math.min(x1, x2)),
    y: mm(Math.min(y1, y2)),
    width: Math.max(LEAST, mm(Math.abs(x2 - x1))),
    depth: Math.max(LEAST, mm(Math.abs(y2 - y1))),
  });
  return [
    { x: left, y: low, ox: right, oy: high },
    { x: right, y: low, ox: left, oy: high },
    { x: right, y: high, ox: left, oy: low },
    { x: left, y: high, ox: right, oy: low },
  ].map(({ x, y, ox, oy }, n) => ({
    key: `c${n}`,
    label: `Corner ${n + 1}`,
    at: [x, y],
    to: (to) => between(to[0], ox, to[1], oy),
  }));
}

/** The corners of a shape, to be drawn while it is dragged. */
export function ring(shape: Shape, scanner: Point): Point[] {
  if (shape.kind === 'polygon') return shape.points;
  if (shape.kind === 'rectangle') {
    const { x, y, width, depth } = shape;
    return [
      [x, y],
      [x + width, y],
      [x + width, y + depth],
      [x, y + depth],
    ];
  }
  const turn = turnOf(shape);
  const arc = Array.from({ length: 61 }, (_, n) =>
    away(scanner, shape.from + (turn * n) / 60, shape.radius),
  );
  return turn === 360 ? arc : [scanner, ...arc];
}

/** The same area by points. */
export function asPolygon(shape: Shape, scanner: Point): Polygon {
  if (shape.kind !== 'sector')
    return { kind: 'polygon', points: ring(shape, scanner).map(([x, y]) => [mm(x), mm(y)]) };
  const turn = turnOf(shape);
  const steps = Math.max(3, Math.round(turn / 10));
  const arc = Array.from({ length: steps + 1 }, (_, n) =>
    away(scanner, shape.from + (turn * n) / steps, shape.radius),
  );
  const points: Point[] = turn === 360 ? arc.slice(0, -1) : [scanner, ...arc];
  return { kind: 'polygon', points: points.map(([x, y]) => [mm(x), mm(y)]) };
}

/** Onto a corner of what stands there where one is near, and otherwise onto the grid. */
export function snapped(at: Point, near: Point[], within: number, grid: number): Point {
  let best: Point | null = null;
  let least = within;
  for (const point of near) {
    const off = Math.hypot(point[0] - at[0], point[1] - at[1]);
    if (off < least) [best, least] = [point, off];
  }
  return best ?? [Math.round(at[0] / grid) * grid, Math.round(at[1] / grid) * grid];
}

/** Where a new corner goes: behind the corner of that number, in the middle of the side that follows. */
export function withCorner(shape: Polygon, n: number): Polygon {
  const a = shape.points[n]!;
  const b = shape.points[(n + 1) % shape.points.length]!;
  const between: Point = [mm((a[0] + b[0]) / 2), mm((a[1] + b[1]) / 2)];
  return { kind: 'polygon', points: shape.points.toSpliced(n + 1, 0, between) };
}

/** Dashes by which zones are told apart, whatever their colour. */
export const DASHES = ['', '8 4', '2 4', '10 3 2 3', '14 5', '5 2 2 2 2 2'];

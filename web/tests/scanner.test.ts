import { describe, expect, it } from 'vitest';
import {
  asPolygon,
  bearingOf,
  handles,
  ring,
  snapped,
  withCorner,
  type Point,
  type Polygon,
  type Rectangle,
  type Sector,
} from '../src/stages/safety/scanner/shapes';

const AT: Point = [100, -50];
const rectangle: Rectangle = { kind: 'rectangle', x: -1000, y: 0, width: 2000, depth: 500 };
const quarter: Sector = { kind: 'sector', from: 350, to: 80, radius: 1000 };
const triangle: Polygon = {
  kind: 'polygon',
  points: [
    [0, 0],
    [100, 0],
    [0, 100],
  ],
};

describe('shapes of zones that are dragged', () => {
  it('leaves a shape as it is when a handle is put where it was', () => {
    for (const shape of [rectangle, triangle])
      for (const handle of handles(shape, AT)) expect(handle.to(handle.at)).toEqual(shape);
    for (const handle of handles(quarter, AT)) {
      const same = handle.to(handle.at) as Sector;
      expect(same.radius).toBe(1000);
      expect(Math.abs(same.from - 350) + Math.abs(same.to - 80)).toBeLessThan(0.11);
    }
  });

  it('keeps the opposite corner of a rectangle, also when it is dragged beyond it', () => {
    const [lower, , upper] = handles(rectangle, AT);
    expect(upper!.to([500, 700])).toEqual({ ...rectangle, width: 1500, depth: 700 });
    expect(lower!.to([1500, 900])).toEqual({
      kind: 'rectangle',
      x: 1000,
      y: 500,
      width: 500,
      depth: 400,
    });
    // Never without any area.
    expect((upper!.to([-1000, 0]) as Rectangle).width).toBe(50);
  });

  it('takes the radius handle of a sector to lie in its middle, clockwise', () => {
    const middle = (from: number, to: number) =>
      bearingOf(AT, handles({ ...quarter, from, to }, AT).find((one) => one.key === 'radius')!.at);
    expect(middle(350, 80)).toBeCloseTo(35, 6);
    expect(middle(-70, 60)).toBeCloseTo(355, 6);
    expect(middle(60, -60)).toBeCloseTo(180, 6);
    expect(middle(10, 10)).toBeCloseTo(190, 6);
    expect(bearingOf([0, 0], [10, 0])).toBe(90);
    expect(bearingOf([0, 0], [-10, 0])).toBe(270);
  });

  it('draws a sector as points on its arc, the scanner first', () => {
    const { points } = asPolygon(quarter, AT);
    expect(points[0]).toEqual(AT);
    for (const [x, y] of points.slice(1))
      expect(Math.abs(Math.hypot(x - AT[0], y - AT[1]) - 1000)).toBeLessThan(1);
    expect(ring({ ...quarter, from: 0, to: 0 }, AT)).not.toContainEqual(AT);
    expect(asPolygon(rectangle, AT).points).toEqual(ring(rectangle, AT));
  });

  it('puts a new corner in the middle of the side behind it, the last side too', () => {
    expect(withCorner(triangle, 0).points[1]).toEqual([50, 0]);
    expect(withCorner(triangle, 2).points[3]).toEqual([0, 50]);
  });

  it('snaps to what is near, and else to the grid', () => {
    expect(snapped([96, 4], [[100, 0]], 10, 50)).toEqual([100, 0]);
    expect(snapped([88, 30], [[100, 0]], 10, 50)).toEqual([100, 50]);
  });
});

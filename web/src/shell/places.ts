import { portLabel } from '../plant/ports';
import { isPorts, rootOf } from '../plant/rails';
import type { PlantStore } from '../plant/store.svelte';

export type Found = { id: string; label: string; what: string; path: string };

/** The address of an object: the stage that shows it and, there, what is to be opened. */
export function pathTo(plant: PlantStore, id: string): string {
  const base = `/p/${plant.key}`;
  const module = plant.row('modules', plant.row('ports', id)?.device ?? id);
  const rail = plant.row('rails', module?.rail ?? id);
  const master = isPorts(rail) ? rootOf(plant, rail?.id) : undefined;
  if (master && 'network' in master)
    return `${base}/networks/${master.network}/${module?.id ?? master.id}`;
  if (module) return `${base}/hardware/${module.rail}/${module.id}`;
  if (rail) return `${base}/hardware/${id}`;
  const port = plant.row('ports', id);
  const task = plant.row('tasks', id);
  const controller = plant.row('controllers', task?.controller ?? port?.device ?? id);
  if (controller) {
    const own = plant.list('rails', 'head', controller.id)[0];
    return `${base}/hardware/${own?.id ?? ''}/${id}`;
  }
  if (plant.row('programs', id)) return `${base}/signals/programs/${id}`;
  const part = plant.row('chain_links', id) ?? plant.row('moves', id);
  const axis = plant.row('axes', part?.axis ?? id);
  if (axis) return `${base}/motion/${axis.id}${part ? `/${id}` : ''}`;
  const safe = plant.row('safety_parts', id)?.function ?? plant.row('functions', id)?.id;
  if (safe) return `${base}/safety/${safe}${safe === id ? '' : `/${id}`}`;
  const drawn =
    plant.row('situations', plant.row('zone_uses', id)?.situation) ??
    plant.row('zones', id) ??
    plant.row('situations', id) ??
    plant.row('plan_shapes', id);
  const scanner = plant.row('scanners', drawn?.scanner ?? id);
  if (scanner) return `${base}/safety/scanners/${scanner.id}${drawn ? `/${drawn.id}` : ''}`;
  if (plant.row('robots', id)) return `${base}/motion/${id}`;
  const link = plant.row('links', id);
  const signal = plant.row('signals', link?.signal ?? id);
  if (signal) return `${base}/signals/${signal.id}`;
  const closing = plant.row('closing_cables', id);
  if (closing) return `${base}/networks/${closing.network}/${id}`;
  const exchange = plant.row('exchanges', id);
  const connection = plant.row('connections', exchange?.connection ?? id);
  const station = plant.row('stations', connection?.station ?? id);
  const network = plant.row('networks', station?.network ?? id);
  if (network) return `${base}/networks/${network.id}/${id}`;
  return `${base}/hardware`;
}

/** Objects by any part of their name, address or designation; the best first. */
export function find(plant: PlantStore, words: string): Found[] {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (!wanted.length) return [];
  const found: (Found & { score: number })[] = [];
  const add = (id: string, label: string, what: string, text: string) => {
    const all = `${label} ${what} ${text}`.toLowerCase();
    if (!wanted.every((word) => all.includes(word))) return;
    const begins = label.toLowerCase().startsWith(wanted[0]!) ? 0 : 1;
    found.push({ id, label, what, path: pathTo(plant, id), score: begins * 1000 + label.length });
  };
  for (const c of plant.list('controllers'))
    add(c.id, c.name, 'controller', `${c.designation} ${c.location}`);
  for (const p of plant.list('ports')) {
    add(p.id, portLabel(plant, p), `port ${p.address}`, '');
  }
  for (const m of plant.list('modules')) {
    const type = plant.type(m.type);
    const owner = rootOf(plant, m.rail)?.name ?? '';
    add(
      m.id,
      m.designation || type?.name || m.type,
      `${type?.name ?? ''} on ${owner}`,
      `${type?.order_number} ${m.location}`,
    );
  }
  for (const n of plant.list('networks')) add(n.id, n.name, 'network', n.kind);
  for (const s of plant.list('stations'))
    add(s.id, s.name, `station ${s.address}`, `${s.designation} ${s.location}`);
  // A number may be a register's reference: looked for in what each exchange brings.
  const number = wanted.some((word) => /^\d{2,6}$/.test(word));
  for (const x of plant.list('exchanges')) {
    const station = plant.row('stations', plant.row('connections', x.connection)?.station);
    const wire = number ? plant.part('exchange.wire', x.id) : undefined;
    const brought = wire ? [wire.reference, ...wire.pieces.map((piece) => piece.label)] : [];
    add(x.id, x.name, `exchange of ${station?.name ?? ''}`, brought.join(' '));
  }
  for (const a of plant.list('axes')) {
    const owner = plant.row('controllers', a.controller)?.name ?? '';
    add(a.id, a.name, `axis of ${owner}`, a.note ?? '');
  }
  for (const r of plant.list('robots')) {
    const owner = plant.row('controllers', r.controller)?.name ?? '';
    add(r.id, r.name, `robot of ${owner}`, r.note ?? '');
  }
  for (const f of plant.list('functions')) {
    const owner = plant.row('controllers', f.controller)?.name ?? '';
    add(f.id, f.name, `safety function of ${owner}`, f.note ?? '');
  }
  for (const one of plant.list('scanners')) {
    const owner = plant.row('controllers', one.controller)?.name ?? '';
    add(one.id, one.name, `scanner of ${owner}`, one.note ?? '');
  }
  for (const part of plant.list('safety_parts')) {
    const owner = plant.row('functions', part.function)?.name ?? '';
    add(part.id, part.name, `${part.role} of ${owner}`, '');
  }
  for (const y of plant.list('programs')) {
    const owner = plant.row('controllers', y.controller)?.name ?? '';
    add(y.id, y.name, `program of ${owner}`, y.note ?? '');
  }
  for (const g of plant.list('signals')) {
    add(
      g.id,
      g.name,
      `signal of ${plant.row('controllers', g.controller)?.name ?? ''}`,
      g.note ?? '',
    );
  }
  return found.sort((a, b) => a.score - b.score).slice(0, 30);
}

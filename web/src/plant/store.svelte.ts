import {
  got,
  http,
  Problem,
  type Catalogue,
  type DeviceType,
  type Edit,
  type EditAnswer,
  type Finding,
  type Part,
  type PartName,
  type PartResult,
  type Plant,
  type Preview,
  type Rows,
} from '../api/client';
import { Stream, type StreamEvent } from '../api/stream';
import { Bench, type BenchState } from './bench.svelte';
import { Outbox } from './outbox.svelte';
import { findingsAt, inOrder, referringTo } from './indexes';
import { Parts } from './parts.svelte';

export type TableName = keyof Rows;
export type Row<T extends TableName> = Rows[T][number];
type Tables = { [T in TableName]: Map<string, Row<T>> };
type Step = Pick<
  EditAnswer,
  'revision' | 'document' | 'change' | 'findings_added' | 'findings_gone' | 'stale'
>;

/** One plant as this tab sees it: the server's rows, kept current by answers and by the stream. */
export class PlantStore {
  name = $state('');
  role = $state<Plant['role']>('reader');
  revision = $state(0);
  tables = $state.raw({} as Tables);
  findings = $state.raw<Map<string, Finding>>(new Map());
  /** Whether the findings have come: before that, none are no good sign. */
  assessed = $state(false);
  steps = $state.raw<Plant['steps']>({
    plant: { undo: null, redo: null },
    built: { undo: null, redo: null },
  });
  /** The document that is worked on: what is configured, or under Live what is built. Undo is of that one. */
  document = $state<keyof Plant['steps']>('plant');
  /** The last revision at which what is configured changed. */
  configured = $state(0);
  users = $state.raw<string[]>([]);
  connected = $state(true);
  lostSince = $state<Date | null>(null);
  selection = $state.raw<string[]>([]);
  preview = $state.raw<Preview | null>(null);
  previewLabel = $state('');
  refusal = $state.raw<Problem | null>(null);
  gone = $state(false);
  /** Set while an earlier revision is looked at; nothing can be edited then. */
  looking = $state<number | null>(null);
  readonly bench: Bench;
  /** The built-in types and this plant's own; fetched anew when its own types change. */
  catalogue = $state.raw<Catalogue>({
    types: [],
    fieldbuses: [],
    data_types: [],
    families: [],
    units: {},
    axis_kinds: {},
    link_kinds: {},
    command_bases: {},
    homing_methods: [],
    robot_types: [],
    scanner_types: {},
    sensor_blocks: {},
    actuator_blocks: {},
  });
  private typesByKey = $state.raw<Map<string, DeviceType>>(new Map());
  private readonly parts = new Parts(async (want) => {
    const answer = await http.POST('/api/plants/{key}/parts', { ...this.path, body: { want } });
    return got(answer).parts as Part[];
  });
  /** Edits on their way to the server. */
  readonly outbox = new Outbox({
    answered: (answer) => {
      this.refusal = null;
      this.steps = answer.steps;
      if (!answer.repeated) this.arrived(answer);
    },
    refused: (problem) => (this.refusal = problem),
    away: () => this.linked(false),
  });
  private readonly later = new Map<number, Step>();
  private stream: Stream | null = null;
  private previewCount = 0;
  private readonly client = crypto.randomUUID();

  constructor(readonly key: string) {
    this.bench = new Bench(this);
  }

  async open(): Promise<void> {
    await this.load();
    this.stream = new Stream(
      this.key,
      () => this.revision,
      (event) => this.heard(event),
      (connected) => this.linked(connected),
    );
  }

  close(): void {
    this.stream?.close();
    this.bench.close();
  }

  get streamId(): string {
    return this.stream?.id ?? '';
  }

  get tab(): string {
    return this.stream?.tab ?? '';
  }

  get mayEdit(): boolean {
    return (this.role === 'owner' || this.role === 'engineer') && this.looking === null;
  }

  private get path() {
    return { params: { path: { key: this.key } } };
  }

  /** Fetch the plant as it is now. */
  async load(): Promise<void> {
    const [answer] = await Promise.all([
      http.GET('/api/plants/{key}', this.path),
      this.fetchCatalogue(),
    ]);
    const plant = got(answer);
    this.name = plant.name;
    this.role = plant.role;
    this.setRows(plant.rows);
    this.steps = plant.steps;
    this.revision = plant.revision;
    this.configured = plant.configured;
    this.later.clear();
    this.parts.renewAll();
    void this.assess().catch(() => {});
  }

  /** Fetch the findings, which take longer than the rows they are about. */
  private async assess(): Promise<void> {
    const told = got(await http.GET('/api/plants/{key}/findings', this.path));
    // An edit that came meanwhile has findings of its own; one that is still to come says again what is known here.
    if (told.revision < this.revision) return this.assess();
    this.findings = new Map(told.findings.map((finding) => [finding.key, finding]));
    this.assessed = true;
  }

  private async fetchCatalogue(): Promise<void> {
    this.catalogue = got(await http.GET('/api/plants/{key}/catalogue', this.path));
    this.typesByKey = new Map(this.catalogue.types.map((type) => [type.key, type]));
  }

  private setRows(rows: Rows): void {
    this.tables = Object.fromEntries(
      Object.entries(rows).map(([name, list]) => [
        name,
        new Map((list as { id: string }[]).map((row) => [row.id, row])),
      ]),
    ) as unknown as Tables;
  }

  /** Look at the plant as it was; null comes back to today. */
  async look(revision: number | null): Promise<void> {
    if (revision === null) {
      this.looking = null;
      await this.load();
      return;
    }
    const path = { params: { path: { key: this.key, revision } } };
    const earlier = got(await http.GET('/api/plants/{key}/revisions/{revision}', path));
    this.looking = revision;
    this.setRows(earlier.rows);
  }

  row<T extends TableName>(table: T, id: string | null | undefined): Row<T> | undefined {
    return id ? this.tables[table]?.get(id) : undefined;
  }

  /** Rows of a table in order, by a reference if one is given. */
  list<T extends TableName>(table: T, field?: keyof Row<T>, target?: string): Row<T>[] {
    const rows = this.tables[table] as ReadonlyMap<string, Row<T>> | undefined;
    if (!rows) return [];
    return [
      ...(field ? referringTo(rows, field as keyof Row<T> & string, target ?? '') : inOrder(rows)),
    ];
  }

  /** A part of the analysis; undefined until it has come. */
  part<K extends PartName>(name: K, root: string): PartResult<K> | undefined {
    return this.parts.get(name, root);
  }

  /** Apply an edit. Refused: the problem is thrown. Server away: kept and sent again until it is answered. */
  async edit(edit: Edit, label: string): Promise<EditAnswer | null> {
    this.endPreview();
    const body = {
      base: this.revision,
      client: this.client,
      client_key: crypto.randomUUID(),
      label,
      edit,
    };
    return this.outbox.send(label, async () => {
      const answer = await http.POST('/api/plants/{key}/edits', { ...this.path, body });
      return got(answer);
    });
  }

  /** What undo and redo would do next, of the document that is worked on. */
  get step(): Plant['steps']['plant'] {
    return this.steps[this.document];
  }

  async undo(rest = false): Promise<void> {
    await this.takeBack('/api/plants/{key}/undo', `Undo: ${this.step.undo?.label ?? ''}`, rest);
  }

  async redo(rest = false): Promise<void> {
    await this.takeBack('/api/plants/{key}/redo', `Redo: ${this.step.redo?.label ?? ''}`, rest);
  }

  private async takeBack(
    path: '/api/plants/{key}/undo' | '/api/plants/{key}/redo',
    label: string,
    rest: boolean,
  ): Promise<void> {
    const body = {
      client: this.client,
      client_key: crypto.randomUUID(),
      rest,
      document: this.document,
    };
    const again = path.endsWith('undo') ? () => this.undo(true) : () => this.redo(true);
    await this.outbox.send(
      label,
      async () => got(await http.POST(path, { ...this.path, body })),
      again,
    );
  }

  async restore(revision: number): Promise<void> {
    const path = { params: { path: { key: this.key, revision } } };
    const body = { client: this.client, client_key: crypto.randomUUID() };
    this.looking = null;
    await this.outbox.send(`Restore revision ${revision}`, async () =>
      got(await http.POST('/api/plants/{key}/revisions/{revision}/restore', { ...path, body })),
    );
    await this.load();
  }

  /** Something done once, as what takes a password: refused, the problem is thrown, and it is not sent again by itself. */
  async once(send: (as: { client: string; client_key: string }) => Promise<Step>): Promise<void> {
    this.arrived(await send({ client: this.client, client_key: crypto.randomUUID() }));
  }

  /** A step of the journal, from an answer or from the stream, applied in order of revisions. */
  private arrived(step: Step): void {
    if (step.revision <= this.revision) return;
    this.later.set(step.revision, step);
    while (this.later.has(this.revision + 1)) {
      const next = this.later.get(this.revision + 1)!;
      this.later.delete(next.revision);
      this.applied(next);
    }
    if (this.later.size) {
      window.setTimeout(() => {
        if (this.later.size) void this.load().catch(() => {});
      }, 1500);
    }
  }

  private applied(step: Step): void {
    this.revision = step.revision;
    if (step.document === 'plant') this.configured = step.revision;
    if (this.looking !== null) return;
    const tables = { ...this.tables };
    const copied = new Set<string>();
    for (const { table, id, after } of step.change) {
      const name = table as TableName;
      if (!copied.has(name)) {
        (tables as Record<string, unknown>)[name] = new Map<string, unknown>(tables[name]);
        copied.add(name);
      }
      const map = tables[name] as Map<string, unknown>;
      if (after) map.set(id, after);
      else map.delete(id);
    }
    this.tables = tables;
    if (copied.has('types')) void this.fetchCatalogue().catch(() => {});
    this.name = [...tables.facts.values()][0]?.name ?? this.name;
    const findings = new Map(this.findings);
    for (const key of step.findings_gone) findings.delete(key);
    for (const finding of step.findings_added) findings.set(finding.key, finding);
    this.findings = findings;
    this.parts.renew(step.stale.map((pair) => pair.join('|')));
  }

  private heard({ event, data }: StreamEvent): void {
    if (event === 'revision') {
      const step = data as unknown as Step & { author: string; client: string };
      const mine = step.client === this.client;
      this.arrived(step);
      if (!mine) void this.refreshSteps();
    } else if (event === 'behind' || event === 'reset') {
      if (event === 'reset' || (data.revision as number) > this.revision)
        void this.load().catch(() => {});
    } else if (event === 'presence') this.users = data.users as string[];
    else if (event === 'gone') this.gone = true;
    else if (event === 'live') this.bench.received(data);
    else if (event === 'state') this.bench.told(data.bench as BenchState);
    else if (event === 'bench') void this.bench.refresh();
  }

  private async refreshSteps(): Promise<void> {
    try {
      this.steps = got(await http.GET('/api/plants/{key}/steps', this.path));
    } catch {
      // Told anew with the next answer.
    }
  }

  private linked(connected: boolean): void {
    if (connected && !this.connected) void this.load().catch(() => {});
    if (connected) this.lostSince = null;
    else this.lostSince ??= new Date();
    this.connected = connected;
    if (connected) this.bench.follow();
  }

  /** Try an edit without making it; the latest question wins. */
  async tryOut(
    edit: Edit,
    label: string,
    want: [PartName, string][] = [],
  ): Promise<Preview | null> {
    const count = ++this.previewCount;
    try {
      const body = { edit, selection: this.selection, want };
      const told = await http.POST('/api/plants/{key}/preview', { ...this.path, body });
      // The client reads tuples as arrays; the shape is the one that was generated.
      const answer = got(told) as Preview;
      if (count !== this.previewCount) return null;
      this.preview = answer;
      this.previewLabel = label;
      this.refusal = null;
      return answer;
    } catch (error) {
      if (count === this.previewCount) {
        this.preview = null;
        if (error instanceof Problem) {
          this.previewLabel = label;
          this.refusal = error;
        }
      }
      return null;
    }
  }

  /** A part as the pending edit would leave it, if it was asked for. */
  pending<K extends PartName>(name: K, root: string): PartResult<K> | undefined {
    const found = this.preview?.parts.find((p) => p.part === name && p.root === root);
    return (found?.result ?? undefined) as PartResult<K> | undefined;
  }

  endPreview(): void {
    this.previewCount++;
    this.preview = null;
    this.previewLabel = '';
    this.refusal = null;
  }

  select(...ids: string[]): void {
    this.selection = ids;
  }

  type(key: string): DeviceType | undefined {
    return this.typesByKey.get(key);
  }

  findingsAt(ids: Iterable<string>): Finding[] {
    return findingsAt(this.findings, ids);
  }
}

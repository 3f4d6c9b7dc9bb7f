/**
 * One event stream a browser: the tab that holds the lock keeps it and shares what arrives.
 * Where locks are not to be had (plain http on another host) every tab keeps its own.
 */

export type StreamEvent = { event: string; data: Record<string, unknown> };
type Message =
  | { kind: 'event'; event: StreamEvent }
  | { kind: 'state'; connected: boolean; id: string }
  | { kind: 'here'; tab: string; plant: string; revision: number }
  | { kind: 'left'; tab: string }
  | { kind: 'who' };

const EVENTS = [
  'hello',
  'alive',
  'revision',
  'behind',
  'presence',
  'gone',
  'reset',
  'live',
  'bench',
  'state',
  'end',
];
const SILENCE_MS = 25_000;

export class Stream {
  readonly tab = crypto.randomUUID();
  /** The id of the browser's one stream, for posting what it follows. */
  id = '';
  private readonly channel = new BroadcastChannel('highmoor');
  private source: EventSource | null = null;
  private leader = false;
  private readonly tabs = new Map<string, { plant: string; revision: number }>();
  private timer = 0;

  constructor(
    private readonly plant: string,
    private readonly revision: () => number,
    private readonly onEvent: (event: StreamEvent) => void,
    private readonly onState: (connected: boolean) => void,
  ) {
    this.channel.onmessage = (message: MessageEvent<Message>) => this.heard(message.data);
    this.announce();
    window.addEventListener('pagehide', this.leave);
    if (navigator.locks) {
      void navigator.locks
        .request('highmoor-stream', { signal: this.ended.signal }, () => this.lead())
        .catch(() => {});
    } else {
      void this.lead();
    }
    this.tell({ kind: 'who' });
  }

  private readonly ended = new AbortController();

  close(): void {
    this.leave();
    window.removeEventListener('pagehide', this.leave);
    this.ended.abort();
    window.clearTimeout(this.timer);
    this.source?.close();
    this.channel.close();
  }

  private readonly leave = (): void => {
    if (!this.ended.signal.aborted) this.tell({ kind: 'left', tab: this.tab });
  };

  private tell(message: Message): void {
    this.channel.postMessage(message);
  }

  private announce(): void {
    this.tell({ kind: 'here', tab: this.tab, plant: this.plant, revision: this.revision() });
  }

  private heard(message: Message): void {
    if (message.kind === 'event') this.deliver(message.event);
    else if (message.kind === 'state' && !this.leader) {
      this.id = message.id;
      this.onState(message.connected);
    } else if (message.kind === 'who') {
      this.announce();
      if (this.leader) this.state(this.source?.readyState === EventSource.OPEN);
    } else if (message.kind === 'here') this.noted(message.tab, message.plant, message.revision);
    else if (message.kind === 'left' && this.tabs.delete(message.tab) && this.leader)
      this.connect();
  }

  private noted(tab: string, plant: string, revision: number): void {
    const known = [...this.tabs.values(), { plant: this.plant }].some((t) => t.plant === plant);
    this.tabs.set(tab, { plant, revision });
    if (this.leader && !known) this.connect();
  }

  private deliver(event: StreamEvent): void {
    const plant = event.data.plant;
    if (plant === undefined || plant === this.plant) this.onEvent(event);
  }

  private lead(): Promise<void> {
    this.leader = true;
    this.connect();
    return new Promise((resolve) => this.ended.signal.addEventListener('abort', () => resolve()));
  }

  private state(connected: boolean): void {
    this.tell({ kind: 'state', connected, id: this.id });
    this.onState(connected);
  }

  /** (Re)open the stream for every plant that some tab of this browser shows. */
  private connect(): void {
    this.source?.close();
    const plants = new Map<string, number>([[this.plant, this.revision()]]);
    for (const { plant, revision } of this.tabs.values()) {
      plants.set(plant, Math.min(plants.get(plant) ?? revision, revision));
    }
    this.id = crypto.randomUUID();
    const wanted = [...plants].map(([plant, revision]) => `${plant}:${revision}`).join(',');
    const source = new EventSource(`/api/stream?plants=${wanted}&id=${this.id}`);
    this.source = source;
    source.onerror = () => {
      if (this.source !== source) return;
      this.state(false);
      source.close();
      this.again(1000);
    };
    for (const name of EVENTS) {
      source.addEventListener(name, (message) => {
        this.again(SILENCE_MS);
        if (name === 'hello') this.state(true);
        const event = { event: name, data: JSON.parse((message as MessageEvent<string>).data) };
        this.tell({ kind: 'event', event });
        this.deliver(event);
      });
    }
    this.again(SILENCE_MS);
  }

  private again(after: number): void {
    window.clearTimeout(this.timer);
    if (this.ended.signal.aborted) return;
    this.timer = window.setTimeout(() => this.connect(), after);
  }
}

<script lang="ts">
  import { untrack, type Snippet } from 'svelte';
  import type { PartResult } from '../../api/client';
  import { plural, shown } from '../../kit/numbers';
  import { RowsInView } from '../../kit/rows.svelte';

  /**
   * Time on the network, to scale: a lane a connection, each request, wait and response as a block.
   * It knows no fieldbus: what it draws are lanes and blocks. Arrow keys read the blocks out.
   */
  let {
    timing,
    names,
    chosen,
    onchoose,
    tools,
  }: {
    timing: PartResult<'network.course'>;
    names: Map<string, string>;
    chosen: string;
    onchoose: (exchange: string) => void;
    tools?: Snippet;
  } = $props();

  // Where everybody sends unasked, a packet is a tick: out of the controller above the lane's line, into it below.
  const packets = $derived(timing.shape === 'senders');
  // Many stations share the height: lanes become thin before the drawing becomes long.
  const LANE = $derived(timing.lanes.length > 10 ? 16 : packets ? 30 : 38);
  const thick = $derived(LANE - 13 > 8 ? 25 : 9);
  const top = $derived(LANE > 20 ? 7 : 4);
  const LEFT = 96;
  const half = $derived(LANE > 20 ? 10 : 5);
  let box = $state<HTMLDivElement>();
  const view = new RowsInView(
    () => timing.lanes.length,
    () => LANE,
  );
  // Lanes in view, each with its number among all.
  const drawn = $derived(
    timing.lanes.slice(view.first, view.end).map((lane, n) => ({ lane, n: view.first + n })),
  );
  // The lane of what is chosen comes into view, wherever it was chosen.
  $effect(() => {
    const lane = timing.lanes.findIndex((l) => l.blocks.some((b) => b.exchanges.includes(chosen)));
    untrack(() => view.reveal(box, lane));
  });
  const middle = (lane: number) => lane * LANE + LANE / 2;
  let width = $state(860);
  let zoomed = $state<number | null>(null);
  let at = $state<{ lane: number; block: number } | null>(null);

  // To begin with, two of the shortest periods: in a window of the longest, short answers would not be seen.
  const shortest = $derived(
    Math.min(
      ...timing.exchanges.filter((e) => e.period_ms > 0).map((e) => e.period_ms),
      timing.window_ms,
    ),
  );
  const zoom = $derived(
    zoomed ??
      2 ** Math.max(0, Math.floor(Math.log2(timing.window_ms / ((packets ? 24 : 2.2) * shortest)))),
  );
  const shownMs = $derived(timing.window_ms / zoom);
  const x = $derived((ms: number) => LEFT + (ms / shownMs) * (width - LEFT - RIGHT));
  const step = $derived(nice(shownMs / 8));
  const ticks = $derived(
    Array.from({ length: Math.floor(shownMs / step) + 1 }, (_, n) => n * step),
  );
  const RIGHT = $derived(packets ? 74 : 8);
  const waits = $derived(new Map(timing.exchanges.map((e) => [e.exchange, e.silent_cost_ms])));
  const queue = $derived(1000 * Math.max(0, ...timing.exchanges.map((e) => e.worst_late_ms ?? 0)));

  /** How long each direction of the chosen exchange's lane may be silent, as brackets from the start on. */
  function brackets(lane: (typeof timing.lanes)[number]) {
    const own = new Map(lane.blocks.flatMap((b) => b.exchanges.map((x) => [x, b.kind] as const)));
    if (!packets || !own.has(chosen)) return [];
    return [...own].map(([exchange, kind]) => ({ exchange, kind, ms: waits.get(exchange) ?? 0 }));
  }
  const read = $derived(at ? timing.lanes[at.lane]?.blocks[at.block] : undefined);
  const WORDS = $derived({
    request: packets ? 'sends a packet' : 'asks',
    wait: 'waits for',
    response: packets ? 'hears a packet' : 'hears',
    'time-out': 'gives up on',
    gap: 'pauses',
  });

  /** Whose a stretch is: by name, or of how many. */
  const whose = (exchanges: string[]) =>
    exchanges.length > 1
      ? plural(exchanges.length, 'exchange')
      : (names.get(exchanges[0] ?? '') ?? '');
  /** One after the other of those whose it is. */
  function choose(exchanges: string[]) {
    const next = exchanges[(exchanges.indexOf(chosen) + 1) % exchanges.length];
    if (next) onchoose(next);
  }

  function nice(raw: number): number {
    const power = 10 ** Math.floor(Math.log10(raw));
    return [1, 2, 5, 10].map((f) => f * power).find((v) => v >= raw) ?? raw;
  }

  function key(event: KeyboardEvent) {
    const lanes = timing.lanes;
    if (event.key === '+') zoomed = Math.min(zoom * 2, 64);
    else if (event.key === '-') zoomed = Math.max(zoom / 2, 1);
    else if (event.key.startsWith('Arrow') && lanes.length) {
      const lane = Math.max(
        0,
        Math.min(
          lanes.length - 1,
          (at?.lane ?? 0) + (event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0),
        ),
      );
      const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
      const block = Math.max(
        0,
        Math.min((lanes[lane]?.blocks.length ?? 1) - 1, (at?.block ?? -1) + by),
      );
      at = { lane, block };
      view.reveal(box, lane);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions (the keys + and − zoom the drawing that has the focus) -->
<div
  class="ribbon"
  bind:clientWidth={width}
  role="group"
  tabindex="0"
  aria-label="Time on the network"
  onkeydown={key}
>
  <header class="row">
    <span class="quiet">
      {shown(shownMs, 3)} <span class="unit">ms</span>
      {packets ? 'of packets if all begin together' : 'of asking, to scale'} · load {shown(
        timing.load * 100,
        3,
      )} % {timing.load_label}{#if packets}<span class="whole"
          >queue at worst {shown(queue, 3)} µs</span
        >{/if}
    </span>
    <span class="wide"></span>
    <span class="mono told" aria-live="polite">
      {#if read}{whose(read.exchanges)}: {WORDS[read.kind]} from {shown(read.start_ms, 5)} to {shown(
          read.end_ms,
          5,
        )} ms{/if}
    </span>
    {@render tools?.()}
    <button
      class="plain"
      onclick={() => (zoomed = Math.max(zoom / 2, 1))}
      disabled={zoom === 1}
      aria-label="Longer window">−</button
    >
    <button
      class="plain"
      onclick={() => (zoomed = Math.min(zoom * 2, 64))}
      aria-label="Shorter window">+</button
    >
  </header>
  <div
    class="lanes"
    bind:this={box}
    bind:clientHeight={view.height}
    onscroll={() => (view.scrolled = box?.scrollTop ?? 0)}
  >
    <svg {width} height={timing.lanes.length * LANE + 2}>
      {#each drawn as { lane, n } (lane.id)}
        <text x="0" y={n * LANE + top + thick / 2 + 4} class="label" class:small={LANE < 20}
          >{lane.label.length > 15
            ? `${lane.label.slice(0, 6)}…${lane.label.slice(-7)}`
            : lane.label}<title>{lane.label}</title></text
        >
        {#if packets}
          <line x1={LEFT} x2={width - RIGHT} y1={middle(n)} y2={middle(n)} class="rule" />
          <text x={width} y={middle(n) + 4} class="tick" text-anchor="end"
            >{shown(lane.packets_per_s, 4)} /s</text
          >
          {#each brackets(lane) as bracket (bracket.exchange)}
            {@const y = middle(n) + (bracket.kind === 'request' ? -half - 2 : half + 2)}
            {@const end = Math.min(x(bracket.ms), width - RIGHT)}
            <path
              d="M{LEFT} {y + (bracket.kind === 'request' ? 3 : -3)}V{y}H{end}{bracket.ms <= shownMs
                ? `v${bracket.kind === 'request' ? 3 : -3}`
                : ''}"
              class="bracket"
              ><title
                >{bracket.kind === 'request' ? 'The device' : 'The controller'} gives up after {shown(
                  bracket.ms,
                )} ms of silence</title
              ></path
            >
          {/each}
        {:else}
          <line
            x1={LEFT}
            x2={width}
            y1={n * LANE + LANE - 3}
            y2={n * LANE + LANE - 3}
            class="rule"
          />
        {/if}
        {#each lane.blocks as block, b (b)}
          {#if packets && block.start_ms < shownMs}
            <rect
              x={x(block.start_ms)}
              y={block.kind === 'request' ? middle(n) - half : middle(n)}
              width={Math.max(x(block.end_ms) - x(block.start_ms), 2)}
              height={half}
              class="packet {block.kind}"
              class:chosen={block.exchanges.includes(chosen)}
              class:read={at?.lane === n && at.block === b}
              role="presentation"
              onclick={() => choose(block.exchanges)}
            />
          {:else if block.start_ms < shownMs}
            {@const from = x(block.start_ms)}
            {@const to = Math.min(x(block.end_ms), width)}
            <rect
              x={from}
              y={n * LANE + top + (block.kind === 'wait' ? thick / 2 - 2 : 0)}
              width={Math.max(to - from, block.kind === 'wait' ? 0 : 1.6)}
              height={block.kind === 'wait' ? 4 : thick}
              class={block.kind}
              class:chosen={block.exchanges.includes(chosen)}
              class:read={at?.lane === n && at.block === b}
              role="presentation"
              onclick={() => choose(block.exchanges)}
            />
          {/if}
        {/each}
        {#each packets ? [] : lane.dues as due, d (d)}
          {#if due.due_ms < shownMs}
            <path
              d="M{x(due.due_ms)} {n * LANE + 1}v4"
              class="due"
              class:late={due.start_ms - due.due_ms > 0.05}
            />
            {#if due.start_ms - due.due_ms > 0.05}
              <path
                d="M{x(due.due_ms)} {n * LANE + 3}H{Math.min(x(due.start_ms), width)}"
                class="waits"
                ><title
                  >due at {shown(due.due_ms, 5)} ms, begins {shown(due.start_ms - due.due_ms, 3)} ms late</title
                ></path
              >
            {/if}
          {/if}
        {/each}
      {/each}
    </svg>
  </div>
  <svg {width} height="20">
    {#each ticks as tick (tick)}
      <text x={Math.min(x(tick), width - RIGHT - 8)} y="12" class="tick" text-anchor="middle"
        >{shown(tick)}</text
      >
    {/each}
  </svg>
</div>

<style>
  .ribbon {
    margin: var(--s4) 0;
  }
  .lanes {
    max-height: 326px;
    overflow-y: auto;
  }
  header {
    min-height: 26px;
  }
  .whole {
    white-space: nowrap;
  }
  .whole::before {
    content: ' · ';
    white-space: pre;
  }
  .told {
    font-size: var(--f-small);
    color: var(--ink-2);
  }
  svg {
    display: block;
  }
  .label {
    font-size: var(--f-note);
    fill: var(--ink);
  }
  .tick {
    font: var(--f-small) var(--mono);
    fill: var(--ink-2);
  }
  .rule {
    stroke: var(--rule);
  }
  rect {
    stroke-width: 1;
    cursor: pointer;
  }
  .request {
    fill: var(--tarn-tint);
    stroke: var(--tarn);
  }
  .response {
    fill: var(--lichen-tint);
    stroke: var(--lichen);
  }
  .wait {
    fill: var(--rule-2);
  }
  .gap {
    fill: var(--rule);
  }
  .small {
    font-size: var(--f-tiny);
  }
  .waits {
    stroke: var(--bracken);
    stroke-width: 1;
    stroke-dasharray: 2 2;
  }
  .time-out {
    fill: var(--bracken-tint);
    stroke: var(--bracken);
  }
  .bracket {
    stroke: var(--rule-2);
    fill: none;
  }
  .packet.request {
    fill: var(--tarn);
    stroke: none;
  }
  .packet.time-out,
  .packet.time-out.chosen {
    fill: var(--bracken-tint);
    stroke: var(--bracken);
  }
  .packet.response {
    fill: var(--lichen);
    stroke: none;
  }
  .packet.chosen {
    fill: var(--heather);
  }
  .wait.chosen {
    stroke: none;
    fill: var(--heather);
  }
  .read {
    stroke: var(--ink);
    stroke-width: 2.5;
  }
  .due {
    stroke: var(--ink-2);
    stroke-width: 1.5;
    fill: none;
  }
  .late {
    stroke: var(--bracken);
    stroke-width: 2.5;
  }
</style>

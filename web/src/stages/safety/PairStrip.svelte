<script lang="ts">
  import { untrack } from 'svelte';
  import { http, Problem } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import type { SafePair } from './pairs';

  /**
   * A pair in time, by its own settings: edges of both contacts are dragged, what the pair makes of them is seen
   * below, and what just passes and what just fails can be set.
   */
  let { pair }: { pair: SafePair } = $props();

  type Wave = { on: boolean; edges_ms: number[] };
  type Strip = {
    first: Wave;
    second: Wave;
    value: Wave;
    fault: Wave;
    differs_ms: [number, number][];
    longest_ms: number;
  };

  const told = $derived(pair.told);
  const limit = $derived(told.discrepancy_ms);
  // So that the limit is well seen, however long it is.
  const span = untrack(() => Math.max(200, 10 * Math.ceil(pair.told.discrepancy_ms)));
  let first = $state([0.1 * span, 0.5 * span]);
  let second = $state(
    untrack(() => [0.1 * span + Math.round(0.7 * pair.told.discrepancy_ms), 0.52 * span]),
  );
  let pressed = $state(0.8 * span);
  let strip = $state.raw<Strip | null>(null);
  let problem = $state('');
  let width = $state(0);

  const LEFT = 92;
  const W = $derived(Math.max(width, 400));
  const x = (ms: number) => LEFT + (ms / span) * (W - LEFT - 8);
  const LANES = { first: 6, second: 38, differ: 72, value: 104, fault: 136 };

  let count = 0;
  $effect(() => {
    const body = {
      antivalent: told.antivalent,
      discrepancy_ms: told.discrepancy_ms,
      held: told.held,
      both_off: told.both_off,
      by_hand: told.by_hand,
      delay_ms: told.filter_ms,
      window_ms: span,
      first: { on: true, edges_ms: [...first] },
      second: { on: !told.antivalent, edges_ms: [...second] },
      acknowledged_ms: [pressed],
    };
    const mine = ++count;
    http
      .POST('/api/compute/{name}', {
        params: { path: { name: 'pair-strip' } },
        body: body as never,
      })
      .then((answer) => {
        if (mine !== count) return;
        const data = answer.data as unknown as (Strip & { refused?: string }) | undefined;
        strip = data && !data.refused ? data : null;
        problem = '';
      })
      .catch((error: unknown) => {
        if (mine === count) problem = error instanceof Problem ? error.detail : 'No answer.';
      });
  });

  function path(wave: Wave, y: number): string {
    const level = (on: boolean) => y + (on ? 0 : 18);
    let on = wave.on;
    let d = `M${x(0)},${level(on)}`;
    for (const edge of wave.edges_ms) {
      d += ` H${x(edge)}`;
      on = !on;
      d += ` V${level(on)}`;
    }
    return `${d} H${x(span)}`;
  }
  const faulted = $derived(strip !== null && (strip.fault.on || strip.fault.edges_ms.length > 0));
  // With which pair of edges the longest difference goes.
  const says = $derived(
    strip === null
      ? ''
      : `${shown(strip.longest_ms, 4)} of ${shown(limit, 4)} ms: ${faulted ? 'a fault' : 'passes'}`,
  );

  let svg = $state<SVGSVGElement>();
  let held = $state<{ of: 'first' | 'second' | 'press'; n: number } | null>(null);
  function put(of: 'first' | 'second' | 'press', n: number, ms: number) {
    const at = Math.round(Math.min(Math.max(ms, 0), span));
    if (of === 'press') {
      pressed = at;
      return;
    }
    const edges = of === 'first' ? first : second;
    const low = n ? edges[n - 1]! + 1 : 1;
    const high = n + 1 < edges.length ? edges[n + 1]! - 1 : span;
    edges[n] = Math.min(Math.max(at, low), high);
  }
  function moved(event: PointerEvent) {
    if (!held || !svg) return;
    const left = svg.getBoundingClientRect().left;
    put(held.of, held.n, ((event.clientX - left - LEFT) / (W - LEFT - 8)) * span);
  }
  function keyed(event: KeyboardEvent, of: 'first' | 'second' | 'press', n: number) {
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!by) return;
    event.preventDefault();
    const now = of === 'press' ? pressed : (of === 'first' ? first : second)[n]!;
    put(of, n, now + by * (event.shiftKey ? 10 : 1));
  }
  /** The second contact so long behind the first as it opens. */
  const behind = (ms: number) => put('second', 0, first[0]! + ms);
</script>

{#snippet handle(of: 'first' | 'second' | 'press', n: number, ms: number, y: number, label: string)}
  <g
    class="handle"
    role="slider"
    tabindex="0"
    aria-label={label}
    aria-valuenow={ms}
    aria-valuemin="0"
    aria-valuemax={span}
    aria-valuetext="{shown(ms, 5)} ms"
    onpointerdown={(event) => {
      held = { of, n };
      (event.currentTarget as Element).setPointerCapture(event.pointerId);
    }}
    onpointermove={moved}
    onpointerup={() => (held = null)}
    onkeydown={(event) => keyed(event, of, n)}
  >
    <rect class="reach" x={x(ms) - 9} y={y - 4} width="18" height="26" />
    <rect class="grip" x={x(ms) - 2.5} {y} width="5" height="18" />
  </g>
{/snippet}

<section aria-label="In time">
  <div class="row head">
    <h2>{pair.name}, {told.called}, in time</h2>
    <span class="mono" class:bad={faulted}>{says}</span>
    <span class="wide"></span>
    <button class="plain" onclick={() => behind(Math.floor(limit))}>Just passes</button>
    <button class="plain" onclick={() => behind(Math.floor(limit) + 1)}>Just fails</button>
  </div>
  <div bind:clientWidth={width}>
    <svg
      bind:this={svg}
      width={W}
      height="182"
      aria-label="Channels, value and fault in time"
      role="group"
    >
      {#each [['A', LANES.first], [told.antivalent ? 'B, antivalent' : 'B', LANES.second], ['differ', LANES.differ], ['value', LANES.value], ['fault', LANES.fault]] as const as [name, y] (name)}
        <text x="4" y={y + 13}>{name}</text>
        <line class="ground" x1={LEFT} x2={W - 8} y1={y + 18} y2={y + 18} />
      {/each}
      <path class="contact" d={path({ on: true, edges_ms: first }, LANES.first)} />
      <path class="contact" d={path({ on: !told.antivalent, edges_ms: second }, LANES.second)} />
      {#if strip}
        {#each strip.differs_ms as [from, to], n (n)}
          <rect
            class="differs"
            class:long={to - from > limit}
            x={x(from)}
            y={LANES.differ + 4}
            width={Math.max(x(to) - x(from), 1)}
            height="10"
          />
          <path class="limit" d="M{x(from + limit)},{LANES.differ - 2} v22" />
          <text class="small before" x={x(from) - 4} y={LANES.differ + 13}
            >{shown(to - from, 4)}</text
          >
          <text class="small" x={x(from + limit) + 4} y={LANES.differ + 13}
            >≤ {shown(limit, 5)}</text
          >
        {/each}
        <path class="value" d={path(strip.value, LANES.value)} />
        <path class="fault" class:raised={faulted} d={path(strip.fault, LANES.fault)} />
      {/if}
      {#each first as ms, n (n)}
        {@render handle('first', n, ms, LANES.first, `A ${n ? 'closes' : 'opens'}`)}
      {/each}
      {#each second as ms, n (n)}
        {@render handle(
          'second',
          n,
          ms,
          LANES.second,
          `B ${(n === 0) !== told.antivalent ? 'opens' : 'closes'}`,
        )}
      {/each}
      {#if told.by_hand}
        {@render handle('press', 0, pressed, LANES.fault, 'Acknowledged')}
        <text class="small" x={x(pressed) + 6} y={LANES.fault + 12}>acknowledged</text>
      {/if}
      {#each [0, 0.25, 0.5, 0.75, 1] as part (part)}
        <text class="small tick" class:before={part === 1} x={x(part * span)} y="176"
          >{shown(part * span)}</text
        >
      {/each}
    </svg>
  </div>
  {#if problem}<p class="bad" role="alert">{problem}</p>{/if}
  <p class="quiet">
    Times in ms at the terminals; value and fault come {shown(told.filter_ms, 3)} ms later, by the input
    delay. {told.held
      ? 'While the channels differ the last value is held.'
      : 'As soon as the channels differ the value is safe.'}
    {told.both_off ? 'After a fault both have to be off once.' : ''} Drag an edge, or move it by
    <kbd>←</kbd> <kbd>→</kbd>.
  </p>
</section>

<style>
  section {
    margin-top: var(--s5);
  }
  .head {
    align-items: baseline;
  }
  .head button {
    font-weight: 400;
  }
  svg {
    display: block;
    touch-action: none;
  }
  text {
    font: var(--f-small) var(--mono);
    fill: var(--ink);
  }
  .small {
    font-size: var(--f-tiny);
    fill: var(--ink-2);
  }
  .tick {
    text-anchor: middle;
  }
  .before {
    text-anchor: end;
  }
  .ground {
    stroke: var(--rule);
  }
  path {
    fill: none;
    stroke-width: 2;
  }
  .contact {
    stroke: var(--ink-2);
  }
  .value {
    stroke: var(--tarn);
    stroke-width: 3;
  }
  .fault {
    stroke: var(--ink-3);
  }
  .fault.raised {
    stroke: var(--bracken);
    stroke-width: 3;
  }
  .limit {
    stroke: var(--heather);
    stroke-dasharray: 3 2;
  }
  .differs {
    fill: var(--gorse-tint);
    stroke: var(--gorse);
  }
  .differs.long {
    fill: var(--bracken-tint);
    stroke: var(--bracken);
  }
  .handle {
    cursor: ew-resize;
  }
  .reach {
    fill: transparent;
  }
  .grip {
    fill: var(--heather);
  }
  .handle:focus-visible {
    outline: 2px solid var(--heather);
  }
  .bad {
    color: var(--bracken);
    font-weight: 600;
  }
  p {
    font-size: var(--f-note);
    margin-top: var(--s2);
  }
</style>

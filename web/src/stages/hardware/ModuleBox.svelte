<script lang="ts">
  import LiveValue from '../../kit/LiveValue.svelte';
  import type { PlantStore } from '../../plant/store.svelte';
  import type { Box, Seat } from './layout';

  /** A module on its rail: narrow with pips, or opened with a row a channel. */
  let {
    plant,
    seat,
    box,
    chosen,
    wrong,
    moving,
    short,
    onchoose,
    ongrab,
  }: {
    plant: PlantStore;
    seat: Seat;
    box: Box;
    chosen: boolean;
    wrong: 'error' | 'warning' | '';
    moving: boolean;
    short: boolean;
    onchoose: (event: MouseEvent) => void;
    ongrab: (event: PointerEvent) => void;
  } = $props();

  const channels = $derived(
    seat.module ? plant.part('module.channels', seat.module)?.channels : undefined,
  );
  const row = $derived(seat.module ? plant.row('modules', seat.module) : undefined);
  const inward = (kind: string) => kind === 'in' || kind.endsWith('I');
  const safe = (kind: string) => kind.startsWith('S');
</script>

<div
  class="module {seat.kind} {wrong}"
  class:chosen
  class:moving
  class:wide={box.wide}
  class:short
  style:left="{box.x}px"
  style:width="{box.width}px"
  role="option"
  tabindex="-1"
  aria-selected={chosen}
  data-label="Slot {seat.slot}: {seat.name || 'open'}{row?.designation
    ? `, ${row.designation}`
    : ''}"
  onclick={onchoose}
  onkeydown={() => {}}
  onpointerdown={ongrab}
>
  <header>
    <span class="slot mono">{seat.slot}</span>
    {#if box.wide}<span class="designation mono">{row?.designation}</span>
    {:else if row?.designation}<span class="unseen">{row.designation}</span>{/if}
    <span class="name" class:upright={!box.wide && box.width < 46}
      >{seat.module ? seat.name : ''}</span
    >
  </header>
  {#if seat.kind === 'open'}
    <span class="open">open</span>
  {:else if seat.kind === 'cover'}
    <span class="open">cover</span>
  {:else if seat.kind === 'feed-in'}
    <span class="open feed"
      >▲ {plant.type(seat.type)?.bus_supply_ma ? 'new supply' : 'new field group'}</span
    >
  {:else if channels?.length}
    {#if box.wide}
      <ol class:tight={channels.length > 8}>
        {#each channels as channel (channel.key)}
          {@const signal = channel.signals[0]}
          <li
            title="{channel.terminals}{channel.range ? `, ${channel.range}` : ''}{channel.written
              ? ` · ${channel.written}`
              : ''}"
          >
            <span
              class="pip"
              class:safe={safe(channel.kind)}
              class:filled={signal || channel.gives}
              aria-hidden="true">{inward(channel.kind) ? '◂' : '▸'}</span
            >
            <span class="mono number">{channel.number}</span>
            <span class="mono terminal">{channel.terminals.split(', ')[0]}</span>
            <span class="mono signal" class:free={!signal && !channel.gives}
              >{signal?.name ?? (channel.gives || 'free')}</span
            >
            {#if signal}<LiveValue {plant} signal={signal.signal} />{/if}
          </li>
        {/each}
      </ol>
    {:else}
      <div class="pips" class:narrow={box.width < 40} aria-hidden="true">
        {#each channels as channel (channel.key)}
          <span
            class="pip"
            class:safe={safe(channel.kind)}
            class:filled={channel.signals.length > 0 || channel.gives !== ''}
            title="{channel.number}: {channel.signals[0]?.name ?? (channel.gives || 'free')}"
            >{inward(channel.kind) ? '◂' : '▸'}</span
          >
        {/each}
      </div>
    {/if}
  {/if}
</div>

<style>
  .module {
    position: absolute;
    top: 0;
    bottom: 0;
    border: 1px solid var(--ink);
    border-radius: var(--radius);
    background: var(--leaf);
    overflow: hidden;
    cursor: pointer;
    touch-action: none;
    user-select: none;
    padding: 0 var(--s2);
    transition: left 0.12s ease-out;
  }
  .module:hover {
    background: var(--paper);
  }
  .open,
  .module.open {
    border-style: dashed;
    border-color: var(--rule-2);
    background: transparent;
  }
  .cover {
    background:
      repeating-linear-gradient(-45deg, transparent 0 5px, var(--rule) 5px 6px), var(--leaf);
    border-color: var(--rule-2);
  }
  .feed-in {
    background: var(--lichen-tint);
  }
  .error {
    border-color: var(--bracken);
  }
  .short {
    background:
      repeating-linear-gradient(45deg, transparent 0 7px, var(--bracken-tint) 7px 10px), var(--leaf);
  }
  .warning {
    border-color: var(--gorse);
  }
  .chosen {
    border: 2px solid var(--heather);
    padding: 0 var(--s2);
    z-index: 2;
  }
  .moving {
    opacity: 0.45;
  }
  header {
    display: grid;
    border-bottom: 1px solid var(--rule);
    padding: var(--s2) 0 var(--s2);
    gap: 0 var(--s3);
    min-height: 42px;
    align-content: start;
  }
  .wide header {
    grid-template-columns: auto auto 1fr;
    align-items: baseline;
    min-height: 26px;
  }
  .slot {
    color: var(--ink-3);
    font-size: var(--f-small);
  }
  .designation {
    font-weight: 600;
  }
  .name {
    font-weight: 600;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .upright {
    writing-mode: vertical-rl;
    max-height: 90px;
    justify-self: center;
    margin-top: var(--s2);
  }
  span.open {
    border: 0;
    display: block;
    writing-mode: vertical-rl;
    margin: var(--s4) auto;
    color: var(--ink-3);
    font-size: var(--f-note);
  }
  .feed {
    color: var(--lichen);
    font-weight: 600;
  }
  .pips {
    display: grid;
    grid-template-columns: repeat(2, 1fr);
    justify-items: center;
    row-gap: 1px;
    padding-top: var(--s4);
  }
  .pip {
    font-size: var(--f-note);
    line-height: 18px;
    width: 16px;
    text-align: center;
    color: var(--rule-2);
  }
  .narrow .pip {
    width: 12px;
    font-size: var(--f-tiny);
  }
  .pip.filled {
    color: var(--tarn);
  }
  .pip.safe {
    outline: 3px double currentColor;
    outline-offset: -3px;
  }
  ol {
    list-style: none;
    margin: 0;
    padding: var(--s2) 0 0;
  }
  li {
    display: flex;
    gap: var(--s2);
    align-items: baseline;
    height: 24px;
    white-space: nowrap;
    border-bottom: 1px solid color-mix(in srgb, var(--rule) 50%, transparent);
  }
  .tight li {
    height: 16.6px;
    font-size: var(--f-note);
  }
  .tight .mono {
    font-size: var(--f-small);
  }
  .tight .pip {
    line-height: 15px;
  }
  .number {
    width: 17px;
    text-align: right;
    color: var(--ink-2);
  }
  .terminal {
    width: 48px;
    color: var(--ink-3);
    font-size: var(--f-small);
  }
  .signal {
    flex: 1;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .free {
    color: var(--ink-3);
    font-family: var(--text);
  }
</style>

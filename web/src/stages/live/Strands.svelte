<script lang="ts">
  import type { Schemas } from '../../api/client';
  import type { PlantStore } from '../../plant/store.svelte';

  /**
   * Three strands, one above the other: configured, running, found. What is the same is tied straight through and
   * folded; where something differs the tie is broken and the item stands open.
   */
  let {
    plant,
    all,
    found,
    ignored,
    chosen,
    running,
    onchoose,
  }: {
    plant: PlantStore;
    all: Schemas['Difference'][];
    found: Schemas['Found'][];
    ignored: string[];
    chosen: string;
    running: boolean;
    onchoose: (key: string) => void;
  } = $props();

  type Difference = Schemas['Difference'];
  type Column = { key: string; one: Difference | null; many: Difference[] };

  let unfolded = $state<string[]>([]);
  let box = $state<HTMLDivElement>();

  // Whatever is chosen comes into view, however it was chosen.
  $effect(() => {
    void chosen;
    void columns.length;
    box?.querySelector('.chosen')?.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  });
  const same = (d: Difference) =>
    ['agrees', 'theirs', 'off', 'unasked'].includes(d.kind) || ignored.includes(d.key);

  /** Neighbours that agree become one folded column. */
  const columns = $derived.by(() => {
    const made: Column[] = [];
    for (const d of all) {
      const last = made.at(-1);
      if (!same(d)) made.push({ key: d.key, one: d, many: [] });
      else if (last && !last.one && last.many[0]!.kind === d.kind) last.many.push(d);
      else made.push({ key: `fold:${d.key}`, one: null, many: [d] });
    }
    return made.flatMap((c): Column[] =>
      c.one || !unfolded.includes(c.key)
        ? [c]
        : c.many.map((d) => ({ key: `${c.key}:${d.key}`, one: d, many: [] })),
    );
  });

  const station = (d: Difference) => plant.row('stations', d.station);
  const live = (d: Difference) => plant.bench.state?.stations.find((s) => s.id === d.station);
  const there = (d: Difference) => (d.found == null ? undefined : found[d.found]);
  const what = (f: Schemas['Found'] | undefined) =>
    f ? [f.maker, f.name, f.revision].filter(Boolean).join(' ') || 'does not say what it is' : '';
  const words: Record<string, [string, string]> = {
    agrees: ['agrees', 'agree'],
    theirs: ['is another’s', 'are others’'],
    off: ['switched off', 'switched off'],
    unasked: ['not asked', 'not asked'],
  };
  const counted = (many: Difference[]) =>
    `${many.length} ${words[many[0]!.kind]?.[many.length > 1 ? 1 : 0] ?? 'left aside'}`;
</script>

<div class="strands" role="group" aria-label="Configured, running and found">
  <div class="names">
    <span>configured</span><span>running</span><span>found</span>
  </div>
  <div class="scroll" bind:this={box}>
    {#each columns as column (column.key)}
      {#if column.one}
        {@const d = column.one}
        {@const f = there(d)}
        <button
          class="column"
          class:differs={!same(d)}
          class:chosen={d.key === chosen}
          aria-pressed={d.key === chosen}
          title={d.says}
          onclick={() => onchoose(d.key)}
        >
          <span class="cell" class:none={!d.station}>
            {#if d.station}<strong>{station(d)?.name}</strong><code>{station(d)?.address}</code
              >{:else}–{/if}
          </span>
          <span class="tie" class:broken={!d.station || (!same(d) && live(d)?.state === 'bad')}
          ></span>
          <span class="cell" class:none={!live(d)} class:bad={live(d)?.state === 'bad'}>
            {#if live(d)}<span class="text">{live(d)?.text}</span>{:else}–{/if}
          </span>
          <span class="tie" class:broken={!same(d)}></span>
          <span class="cell" class:none={!f}>
            {#if f}<strong class="text" title={what(f)}>{f.called || what(f)}</strong><code
                >{f.address || f.mac}{Object.keys(f.set_to ?? {}).length
                  ? ` · ${Object.values(f.set_to ?? {}).join(' ')}`
                  : ''}</code
              >{:else}{running ? 'not yet' : d.kind === 'unasked' ? 'not asked' : 'nobody'}{/if}
          </span>
        </button>
      {:else}
        <button
          class="fold"
          title={column.many
            .map((d) => station(d)?.name ?? d.says)
            .slice(0, 12)
            .join(', ')}
          onclick={() => (unfolded = [...unfolded, column.key])}
        >
          <span class="bundle">
            {#each column.many.slice(0, 7) as d (d.key)}<i></i>{/each}
          </span>
          <span class="count">{counted(column.many)}</span>
        </button>
      {/if}
    {/each}
  </div>
</div>

<style>
  .strands {
    display: grid;
    grid-template-columns: 86px 1fr;
    margin: var(--s4) 0;
  }
  .names {
    display: grid;
    grid-template-rows: 52px 20px 52px 20px 52px;
    color: var(--ink-2);
    font-size: var(--f-note);
  }
  .names span {
    align-self: center;
  }
  .names span:nth-child(2) {
    grid-row: 3;
  }
  .names span:nth-child(3) {
    grid-row: 5;
  }
  .scroll {
    display: flex;
    gap: var(--s3);
    overflow-x: auto;
    padding: var(--s1) var(--s1) var(--s4);
    background:
      linear-gradient(var(--rule), var(--rule)) 0 27px / 100% 1px no-repeat,
      linear-gradient(var(--rule), var(--rule)) 0 99px / 100% 1px no-repeat,
      linear-gradient(var(--rule), var(--rule)) 0 171px / 100% 1px no-repeat;
  }
  .column,
  .fold {
    display: grid;
    grid-template-rows: 52px 20px 52px 20px 52px;
    height: auto;
    padding: 0;
    border: 0;
    background: none;
    font-weight: 400;
    text-align: left;
    flex: none;
    color: var(--ink);
  }
  .column {
    width: 158px;
  }
  .cell {
    display: grid;
    align-content: center;
    background: var(--leaf);
    border: 1px solid var(--rule-2);
    padding: var(--s1) var(--s3);
    overflow: hidden;
    font-size: var(--f-note);
    line-height: 1.25;
  }
  .cell strong {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    font-size: var(--f-note);
  }
  .text {
    display: -webkit-box;
    -webkit-line-clamp: 2;
    line-clamp: 2;
    -webkit-box-orient: vertical;
    overflow: hidden;
    white-space: normal;
  }
  .cell code {
    font-size: var(--f-small);
    color: var(--ink-2);
  }
  .cell.none {
    background: none;
    border-style: dashed;
    color: var(--ink-3);
  }
  .chosen .cell {
    background: var(--heather-tint);
    border-color: var(--heather);
  }
  .cell.bad {
    border-left: 3px solid var(--bracken);
  }
  .tie {
    justify-self: center;
    width: 0;
    border-left: 2px solid var(--rule-2);
  }
  .tie.broken {
    border-left: 2px dotted var(--bracken);
  }
  .fold {
    width: 74px;
    grid-template-rows: 1fr;
    align-items: center;
    position: relative;
  }
  .bundle {
    display: flex;
    justify-content: center;
    gap: var(--s2);
    height: 144px;
  }
  .bundle i {
    border-left: 2px solid var(--rule-2);
  }
  .count {
    position: absolute;
    top: 50%;
    left: 0;
    right: 0;
    transform: translateY(-50%);
    text-align: center;
    background: var(--paper);
    font-size: var(--f-note);
    line-height: 1.2;
    padding: var(--s2) 0;
    color: var(--ink-2);
  }
  .fold:hover .count {
    color: var(--ink);
    text-decoration: underline;
  }
</style>

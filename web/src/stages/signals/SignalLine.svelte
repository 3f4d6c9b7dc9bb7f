<script lang="ts">
  import LiveValue from '../../kit/LiveValue.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import type { Column, Editing } from './columns';
  import EditCell from './EditCell.svelte';

  /** One signal as a line of the grid. */
  let {
    plant,
    signal,
    link,
    more,
    owner,
    place,
    editing,
    onbegin,
    oncommit,
    oncancel,
  }: {
    plant: PlantStore;
    signal: Row<'signals'>;
    link: Row<'links'> | undefined;
    more: number;
    owner: string;
    place: string;
    editing: Editing | null;
    onbegin: (column: Column) => void;
    oncommit: (go: number) => void;
    oncancel: () => void;
  } = $props();

  const path = $derived(plant.part('signal.path', signal.id));
  const now = $derived(plant.bench.running ? plant.bench.values.get(signal.id) : undefined);
  const late = $derived(
    signal.asked_ms != null && path !== undefined && path.worst_ms > signal.asked_ms,
  );
  const worst = $derived.by(() => {
    const own = plant.findingsAt([signal.id, link?.id ?? '']);
    return (
      own.find((f) => f.severity === 'error') ?? own.find((f) => f.severity === 'warning') ?? own[0]
    );
  });
  /** Between what its values lie: a table's own ends, or those of the straight line. */
  const ends = $derived.by(() => {
    const scaling = link?.scaling;
    if (!scaling) return null;
    const values = String(scaling.points ?? '').match(/[^\s;]+(?=;|$)/g);
    if (scaling.kind === 'table' && values) return [Number(values[0]), Number(values.at(-1))];
    return [Number(scaling.lo), Number(scaling.hi)];
  });
  const cell = $derived({ editing, onbegin, oncommit, oncancel });
  // Where the link leads, in one word; what stands beside an exchange's data by its own name.
  const word = $derived.by(() => {
    const facts = path?.links.find((one) => one.link === link?.id);
    const key = facts?.key ?? link?.key ?? '';
    if (link && link.key === '') return facts?.label.split(': ').at(-1) ?? link.way;
    return key.startsWith('ch') ? `ch ${key.slice(2)}` : key;
  });
</script>

<EditCell column="name" {...cell}>
  <span class="mono"
    >{#if owner}<span class="quiet">{owner}.</span>{/if}{signal.name}</span
  >
</EditCell>
<EditCell column="type" choices={plant.catalogue.data_types} {...cell}>{signal.type}</EditCell>
<EditCell column="link" {...cell}>
  <span class="to" title={path?.links.map((one) => one.label).join('\n') ?? ''}>
    {#if link}<span class="place">{place}</span>
      <span class="quiet key">{word}{more ? ` +${more}` : ''}</span>
    {:else}<span class="quiet">not linked</span>{/if}
  </span>
</EditCell>
<span class="right">
  <EditCell column="unit" placeholder="unit" {...cell}>
    <span class="mono">
      {#if ends}{shown(ends[0])} … {shown(ends[1])}{/if}
      <span class="unit">{signal.unit}</span>
    </span>
  </EditCell>
</span>
<span role="gridcell" tabindex="-1" class="mono small">{path?.links[0]?.written ?? ''}</span>
<span class="right">
  <EditCell column="asked_ms" placeholder="ms" {...cell}>
    <span class="mono">
      {#if path?.hops.length}
        <span class:late>{shown(path.worst_ms, 4)}</span>{#if signal.asked_ms != null}<span
            class="quiet">&nbsp;/ {shown(signal.asked_ms)}</span
          >{/if}
      {/if}
    </span>
  </EditCell>
</span>
<span role="gridcell" tabindex="-1" class="right"><LiveValue {plant} signal={signal.id} /></span>
<span role="gridcell" tabindex="-1" title={worst?.text ?? ''}>
  {#if now?.quality === 'old'}<Mark state="error" word="last known" />
  {:else if now?.quality === 'forced'}<Mark state="pending" word="forced" />
  {:else if now?.quality === 'not wired'}<Mark state="idle" word="not wired" />
  {:else if worst}<Mark state={worst.severity} word={worst.severity} />
  {:else}<Mark state="good" />{/if}
</span>

<style>
  span {
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    min-width: 0;
  }
  .to {
    display: flex;
    gap: var(--s2);
  }
  .key {
    flex: none;
  }
  .right {
    text-align: right;
  }
  .small {
    font-size: var(--f-small);
    color: var(--ink-2);
  }
  .late {
    color: var(--gorse);
    font-weight: 600;
  }
</style>

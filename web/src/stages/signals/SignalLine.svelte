<script lang="ts">
  import LiveValue from '../../kit/LiveValue.svelte';
  import Mark from '../../kit/Mark.svelte';
  import { shown } from '../../kit/numbers';
  import type { PlantStore, Row } from '../../plant/store.svelte';
  import type { ColumnSpec, Editing } from './columns';
  import EditCell from './EditCell.svelte';

  /** One signal as a line of the grid. */
  let {
    plant,
    signal,
    link,
    more,
    owner,
    within,
    place,
    columns,
    cursor,
    inside,
    onLoss,
    text,
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
    /** The variable under whose heading it stands: of its name the rest is shown. */
    within: string;
    place: string;
    columns: ColumnSpec[];
    /** The column of the cursor, if it stands in this row, and the columns chosen, if the row is. */
    cursor: string;
    inside: ColumnSpec[];
    /** What its output can do on a fault. */
    onLoss: string[];
    /** What stands in a cell that is drawn as plain text. */
    text: (column: string) => string;
    editing: Editing | null;
    onbegin: (column: string) => void;
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

{#snippet drawn(column: string)}
  {#if column === 'name'}<span class="mono"
      >{#if owner}<span class="quiet">{owner}.</span>{/if}{signal.name.slice(within.length)}</span
    >
  {:else if column === 'link'}<span
      class="to"
      title={path?.links.map((one) => one.label).join('\n') ?? ''}
    >
      {#if link}<span class="place">{place}</span>
        <span class="quiet key">{word}{more ? ` +${more}` : ''}</span>
      {:else}<span class="quiet">not linked</span>{/if}
    </span>
  {:else if column === 'unit'}<span class="mono">
      {#if ends}{shown(ends[0])} … {shown(ends[1])}{/if}
      <span class="unit">{signal.unit}</span>
    </span>
  {:else if column === 'image'}<span class="mono small">{path?.links[0]?.written ?? ''}</span>
  {:else if column === 'asked_ms'}<span class="mono">
      {#if path?.hops.length}
        <span class:late>{shown(path.worst_ms, 4)}</span>{#if signal.asked_ms != null}<span
            class="quiet">&nbsp;/ {shown(signal.asked_ms)}</span
          >{/if}
      {/if}
    </span>
  {:else if column === 'raw'}<span class="mono live">{now?.raw ?? ''}</span>
  {:else if column === 'electrical'}<span class="mono live">{now?.electrical ?? ''}</span>
  {:else if column === 'now'}<LiveValue {plant} signal={signal.id} />
  {:else if column === 'state'}<span title={worst?.text ?? ''}
      >{#if now?.quality === 'old'}<Mark state="error" word="last known" />
      {:else if now?.quality === 'forced'}<Mark state="pending" word="forced" />
      {:else if now?.quality === 'not wired'}<Mark state="idle" word="not wired" />
      {:else if now?.quality === 'fault'}<Mark state="error" word="loop fault" />
      {:else if now?.quality === 'out of range'}<Mark state="warning" word="out of range" />
      {:else if worst}<Mark state={worst.severity} word={worst.severity} />
      {:else}<Mark state="good" />{/if}</span
    >
  {:else}<span title={text(column)}>{text(column)}</span>{/if}
{/snippet}

{#each columns as column (column.key)}
  <EditCell
    column={column.key}
    right={column.right ?? false}
    cursor={cursor === column.key}
    inside={inside.includes(column)}
    choices={column.key === 'type'
      ? plant.catalogue.data_types
      : column.key === 'on_loss'
        ? onLoss
        : null}
    placeholder={column.key === 'asked_ms' ? 'ms' : column.label.toLowerCase()}
    {...cell}>{@render drawn(column.key)}</EditCell
  >
{/each}

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
  .small {
    font-size: var(--f-small);
    color: var(--ink-2);
  }
  .live {
    color: var(--tarn);
    font-size: var(--f-small);
  }
  .late {
    color: var(--gorse);
    font-weight: 600;
  }
</style>

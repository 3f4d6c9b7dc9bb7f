<script lang="ts">
  import type { DeviceType, Schemas } from '../../api/client';
  import { shown } from '../../kit/numbers';
  import Footprint from './Footprint.svelte';

  /** One type of the catalogue: its footprint, and what is left after placing or the conditions it fails. */
  let {
    type,
    from,
    octets,
    fails,
    verdict,
    chosen,
    marked,
    top,
    onchoose,
    onplace,
  }: {
    type: DeviceType;
    from: string;
    octets: number;
    fails: string[];
    verdict: Schemas['VerdictOut'] | undefined;
    chosen: boolean;
    marked: boolean;
    top: number;
    onchoose: () => void;
    onplace: () => void;
  } = $props();

  const last = $derived.by(() => {
    if (!verdict) return type.used ? String(type.used) : '';
    return verdict.left == null ? 'fits' : `${shown(verdict.left)} ${verdict.unit}`;
  });
</script>

<div
  class="line entry"
  role="option"
  tabindex="-1"
  aria-selected={chosen}
  class:misfit={fails.length > 0}
  class:marked
  style:top="{top}px"
  onclick={onchoose}
  ondblclick={onplace}
  onkeydown={() => {}}
>
  <span class="name"
    ><span class="check" aria-hidden="true">{marked ? '◆' : ''}</span>{type.name}
    <span class="quiet">{type.revisions.at(-1) ?? ''}</span></span
  >
  <span class="cut">{type.maker}</span>
  <span class="cut quiet" title={type.file}>{from}</span>
  <Footprint {type} {octets} />
  <span class="number mono">{type.in_octets || '–'}</span>
  <span class="number mono">{type.out_octets || '–'}</span>
  <span class="number mono">{type.interval_us == null ? '–' : shown(type.interval_us / 1000)}</span>
  <span class="number mono">{type.connections ?? '–'}</span>
  <span class="number mono">{type.bus_current_ma || '–'}</span>
  <span class="number mono last" class:negative={(verdict?.left ?? 0) < 0}
    >{#if fails.length}<span class="fails">{fails.join(', ')}</span>{:else}{last}{/if}</span
  >
</div>

<style>
  .line {
    display: grid;
    grid-template-columns: var(--columns);
    gap: 0 var(--s4);
    align-items: center;
  }
  .number {
    text-align: right;
    white-space: nowrap;
  }
  .entry {
    position: absolute;
    left: 0;
    right: 0;
    height: 28px;
    border-bottom: 1px solid var(--rule);
    padding: 0 var(--s3) 0 var(--s2);
    cursor: pointer;
  }
  .entry:hover {
    background: var(--leaf);
  }
  .entry[aria-selected='true'] {
    background: var(--heather-tint);
  }
  .marked {
    box-shadow: inset 3px 0 var(--heather);
  }
  .name {
    font-weight: 600;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .name .quiet {
    font-weight: 400;
    font-size: var(--f-note);
  }
  .check {
    color: var(--heather);
    display: inline-block;
    width: 12px;
    font-size: var(--f-tiny);
  }
  .cut {
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .misfit > :not(.last) {
    color: var(--ink-3);
  }
  .last {
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .fails {
    color: var(--bracken);
    font-family: var(--text);
  }
  .negative {
    color: var(--bracken);
  }
</style>

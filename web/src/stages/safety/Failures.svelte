<script lang="ts">
  import { shown } from '../../kit/numbers';
  import PerHour from './PerHour.svelte';
  import type { FunctionTold } from './safetyWork.svelte';

  /** How surely it acts: what of the demand that is answered least surely can fail, each with its share of the sum. */
  let { told }: { told: FunctionTold['level'] } = $props();

  const total = $derived(told.pfh ?? 0);
  const share = (pfh: number | null | undefined) => (pfh && total ? pfh / total : 0);
</script>

<table>
  <thead>
    <tr
      ><th>Can fail</th><th>Share of the sum</th><th class="number">Fails, an hour</th><th
        >Reaches</th
      ><th>By</th><th class="number">Replace after</th></tr
    >
  </thead>
  <tbody>
    {#each told.counted as one (one.of)}
      <tr>
        <td class="name" title={one.label}>{one.label}</td>
        <td class="bar"
          ><span
            style:width="{100 * share(one.pfh)}%"
            class:low={one.level > told.asked && told.enough === false}
          ></span></td
        >
        <td class="number" class:missing={one.pfh == null}><PerHour value={one.pfh} /></td>
        <td class:missing={!one.level}>{one.level ? `PL ${one.level}` : '–'}</td>
        <td class="quiet by" title={one.fails}>{one.fails}</td>
        <td class="mono number"
          >{one.replace_years != null && one.replace_years < 100
            ? `${shown(one.replace_years, 3)} years`
            : ''}</td
        >
      </tr>
    {/each}
  </tbody>
  <tfoot>
    <tr>
      <td><strong>Together</strong></td>
      <td></td>
      <td class="number"
        ><strong
          >{told.at_least && told.pfh != null ? 'at least ' : ''}<PerHour
            value={told.pfh}
          /></strong
        ></td
      >
      <td colspan="3"
        ><strong
          >{told.at_least
            ? 'the level cannot be told'
            : told.level
              ? `figures reach PL ${told.level}${told.sil ? `, SIL ${told.sil}` : ''}`
              : 'figures reach no level'}</strong
        ></td
      >
    </tr>
  </tfoot>
</table>

<style>
  .bar {
    width: 132px;
  }
  .bar span {
    display: block;
    height: 9px;
    min-width: 1px;
    background: var(--tarn);
  }
  .bar .low {
    background: var(--bracken);
  }
  .name {
    max-width: 240px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
  }
  .by {
    max-width: 250px;
    overflow: hidden;
    text-overflow: ellipsis;
    white-space: nowrap;
    font-size: var(--f-note);
  }
  .number {
    white-space: nowrap;
  }
  .missing {
    color: var(--bracken);
  }
  tfoot td {
    border-top: 1px solid var(--rule-2);
  }
</style>

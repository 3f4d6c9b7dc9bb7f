<script lang="ts">
  import { plural } from '../../../kit/numbers';
  import { pathTo } from '../../../shell/places';
  import { router } from '../../../shell/router.svelte';
  import { called, grouped, type SealWork } from './seal.svelte';

  /** What is sealed, a layer a device; one that is not as it was sealed lies open. */
  let { work }: { work: SealWork } = $props();

  // The safe part with its functions comes first, then what it has to do with.
  const devices = $derived(
    [...(work.told?.told.devices ?? [])].sort(
      (a, b) =>
        Number(b.row.startsWith('c')) - Number(a.row.startsWith('c')) ||
        called(a.name).localeCompare(called(b.name), 'en', { numeric: true }),
    ),
  );
  const WORDS = {
    whole: 'as sealed',
    broken: 'not as sealed',
    new: 'not sealed',
    gone: 'gone',
  } as const;

  function go(event: MouseEvent, row: string) {
    event.preventDefault();
    const path = pathTo(work.plant, row);
    if (path) router.go(path);
  }
</script>

<ol aria-label="What is sealed">
  {#each devices as device (device.name)}
    {@const lines = work.lines(device.name)}
    <li class={device.state}>
      <div class="row">
        <strong>{called(device.name)}</strong>
        {#if device.row.startsWith('c')}<span>safe part and functions</span>{/if}
        <span>{work.plant.row('modules', device.row)?.designation ?? ''}</span>
        <span class="quiet">{device.rows ? plural(device.rows, 'entry', 'entries') : ''}</span>
        <span class="wide"></span>
        <code title={grouped(device.hash)}>{grouped(device.hash, 4)}</code>
        <span class="state">{WORDS[device.state]}</span>
      </div>
      {#if lines.length}
        <table aria-label="{called(device.name)}, what differs">
          <tbody>
            {#each lines as line, n (n)}
              <tr class:follows={line.follows}>
                <td
                  >{#if line.row}<a href="." onclick={(event) => go(event, line.row)}
                      >{line.at || called(device.name)}</a
                    >{:else}{line.at || called(device.name)}{/if}</td
                >
                <td>{line.label || 'as a whole'}</td>
                <td class="mono was">{line.before || '–'}</td>
                <td aria-hidden="true">→</td>
                <td class="mono">{line.now || '–'}</td>
                <td class="quiet">{line.follows ? 'follows' : ''}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      {/if}
    </li>
  {/each}
</ol>

<style>
  ol {
    list-style: none;
    margin: var(--s4) 0;
    padding: 0;
    border-block: 2px solid var(--ink);
  }
  li {
    padding: var(--s2) var(--s3);
    border-bottom: 1px solid var(--rule);
  }
  li:last-child {
    border-bottom: 0;
  }
  .broken,
  .gone {
    border-left: 3px solid var(--bracken);
    padding-block: var(--s4);
  }
  .state {
    min-width: 96px;
    text-align: right;
  }
  .whole .state,
  .new .state {
    color: var(--ink-2);
  }
  .broken .state,
  .gone .state {
    color: var(--bracken);
  }
  table {
    margin-top: var(--s3);
  }
  td {
    padding: 1px var(--s4) 1px 0;
    text-align: left;
    max-width: 260px;
  }
  .was {
    text-decoration: line-through;
    color: var(--ink-2);
  }
</style>

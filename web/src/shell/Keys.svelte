<script lang="ts">
  let { stage, onclose }: { stage: string; onclose: () => void } = $props();

  const EVERYWHERE = [
    ['/ or Ctrl+K', 'go to any object by part of its name or address'],
    ['Ctrl+Z, Ctrl+Shift+Z', 'undo my last edit, redo'],
    ['\\', 'fold or unfold the consequences'],
    ['Enter, Tab', 'commit what is typed; Escape drops it'],
    ['M', 'mend the first finding beside'],
    ['?', 'these keys'],
  ];
  const HERE: Record<string, string[][]> = {
    hardware: [
      ['← →', 'choose a slot'],
      ['Alt+← Alt+→', 'move the module'],
      ['I', 'insert before the chosen slot: type part of a name, ↑ ↓ choose, Enter inserts'],
      ['R', 'replace the module by another type'],
      ['D', 'duplicate what is chosen'],
      ['N', 'n more of it, with all that hangs on it'],
      ['Delete', 'remove what is chosen'],
      ['Shift+← →, Ctrl+A', 'choose several, all'],
      ['Ctrl+C, Ctrl+V', 'copy, paste: on any rail of any plant'],
      ['C', 'the catalogue, asked for what fits here'],
      ['[ ]', 'in the catalogue: walk the problems of a file'],
      ['Space', 'in the catalogue: mark for comparing, up to three'],
    ],
    networks: [
      ['← →', 'choose a station'],
      ['Alt+← →', 'move it along the cable'],
      ['V', 'the values of a device as one variable'],
      ['Delete', 'remove what is chosen'],
    ],
    signals: [
      ['↑ ↓ ← →', 'choose a cell; with Shift several, Ctrl+A all'],
      ['Enter, F2 or a letter', 'edit the cell; Tab goes on'],
      ['Ctrl+C, X, V', 'cells to and from a spreadsheet; in the last row new signals'],
      ['Ctrl+D', 'fill down: names, terminals and places count on'],
      ['Alt+↑', 'sort by the column'],
      ['Alt+← Alt+→', 'fold the group of the cursor, unfold all'],
      ['Space', 'open its path'],
      ['Delete', 'on a name: remove the chosen signals; elsewhere: empty the cells'],
      ['Ctrl+S, Ctrl+F', 'in a program: save, find; Escape then Tab leaves its text'],
      ['Enter, Backspace', 'in the I/O list: take, leave what differs'],
    ],
    motion: [
      ['↑ ↓', 'among the axes and robots, or the moves'],
      ['← →', 'choose a link of the chain'],
      ['Alt+← → ↑ ↓', 'move the chosen link, or move'],
      ['Delete', 'remove what is chosen'],
    ],
    live: [
      ['F', 'force the chosen signal'],
      ['W', 'write it once'],
      ['Delete', 'release its force'],
    ],
  };
</script>

<header class="row">
  <h1>Keys</h1>
  <span class="wide"></span>
  <button onclick={onclose}>Close <kbd>Esc</kbd></button>
</header>
{#each [{ title: 'Here', keys: HERE[stage] ?? [] }, { title: 'Everywhere', keys: EVERYWHERE }] as group (group.title)}
  {#if group.keys.length}
    <h2>{group.title}</h2>
    <dl>
      {#each group.keys as [key, what] (key)}
        <dt><kbd>{key}</kbd></dt>
        <dd>{what}</dd>
      {/each}
    </dl>
  {/if}
{/each}

<style>
  h2 {
    margin: var(--s5) 0 var(--s2);
  }
  dl {
    display: grid;
    grid-template-columns: 200px 1fr;
    gap: var(--s3) var(--s5);
    margin: 0;
  }
  dd {
    margin: 0;
  }
</style>

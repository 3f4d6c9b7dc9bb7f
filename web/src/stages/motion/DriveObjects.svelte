<script lang="ts">
  import type { Schemas } from '../../api/client';
  import { grouped } from './numbers';

  /** What is set in a drive of CiA 402, object by object. */
  let { objects }: { objects: Schemas['DriveObject'][] } = $props();
</script>

<details>
  <summary>As objects of a CiA 402 drive</summary>
  <table>
    <tbody>
      {#each objects as object (object.index)}
        <tr
          ><td class="mono">{object.index}</td><td>{object.name}</td><td class="mono number"
            >{grouped(object.value)}</td
          ></tr
        >
      {/each}
    </tbody>
  </table>
</details>

<style>
  details {
    margin-top: var(--s3);
  }
  summary {
    font-size: var(--f-note);
    color: var(--ink-2);
    cursor: pointer;
  }
  td {
    padding: var(--s1) var(--s5) var(--s1) 0;
  }
  .number {
    text-align: right;
  }
</style>

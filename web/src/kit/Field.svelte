<script lang="ts">
  import type { FieldOut } from '../api/client';
  import { Problem } from '../api/client';

  /**
   * One field of a form. Typing previews; Enter, Tab or leaving commits; Escape drops.
   * What is typed goes to the server as it is: numbers in any base and unit are read there.
   */
  let {
    field,
    disabled = false,
    ontry,
    oncommit,
    oncancel,
  }: {
    field: FieldOut;
    disabled?: boolean;
    ontry?: (value: unknown) => Promise<string | null>;
    oncommit: (value: unknown) => Promise<void>;
    oncancel?: () => void;
  } = $props();

  let typed = $state<string | null>(null);
  let problem = $state('');
  let beside = $state<string | null>(null);
  let timer = 0;
  const id = $props.id();
  const off = $derived(disabled || field.disabled !== '');
  // Hundreds of stations to choose from are put into the list when somebody reaches for it.
  const MANY = 60;
  let reached = $state(false);
  const offered = $derived(
    reached || field.choices.length <= MANY
      ? field.choices
      : field.choices.filter((choice) => choice.value === field.value),
  );
  /** Whether nothing can be chosen as well: where nothing is usual, or is what stands there. */
  const none = $derived(
    field.optional &&
      !field.choices.some((c) => c.value === (field.default == null ? null : field.value)),
  );
  const text = $derived(
    typed ?? (field.value === null || field.value === undefined ? '' : String(field.value)),
  );

  function input(value: string) {
    typed = value;
    window.clearTimeout(timer);
    timer = window.setTimeout(async () => {
      if (ontry && typed !== null) {
        beside = await ontry(typed);
        problem = '';
      }
    }, 120);
  }

  /** So many letters of a choice stand beside its field's name; a longer one takes a line of its own. */
  const BESIDE = 19;

  async function commit(value: unknown) {
    window.clearTimeout(timer);
    const unchanged = typed === null || String(typed) === String(field.value ?? '');
    if (typeof value === 'string' && unchanged) {
      cancel();
      return;
    }
    try {
      await oncommit(value === '' && field.optional ? null : value);
      typed = null;
      beside = null;
      problem = '';
    } catch (error) {
      problem = error instanceof Problem ? error.detail : String(error);
    }
  }

  function cancel() {
    window.clearTimeout(timer);
    typed = null;
    beside = null;
    problem = '';
    oncancel?.();
  }

  function key(event: KeyboardEvent) {
    if (event.key === 'Enter' && field.kind !== 'note') {
      event.preventDefault();
      void commit(typed ?? text);
    } else if (event.key === 'Escape' && typed !== null) {
      event.stopPropagation();
      cancel();
    }
  }
</script>

<div
  class="field"
  class:own={!field.is_default}
  class:bad={problem !== ''}
  class:wide={field.kind === 'choice' && field.choices.some((c) => c.label.length > BESIDE)}
>
  <label for={id} title={[field.hint, field.disabled].filter(Boolean).join(' ')}>
    {field.label}
    {#if field.term}<span class="term">{field.term}</span>{/if}
  </label>
  <div class="entry">
    {#if field.kind === 'choice'}
      <select
        {id}
        disabled={off}
        onpointerdown={() => (reached = true)}
        onfocus={() => (reached = true)}
        value={field.value === null || field.value === undefined ? '' : JSON.stringify(field.value)}
        onchange={(event) => {
          const chosen = event.currentTarget.value;
          typed = chosen;
          void commit(chosen === '' ? null : JSON.parse(chosen));
        }}
      >
        {#if none}<option value="">–</option>{/if}
        {#each offered as choice (JSON.stringify(choice.value))}
          <option value={JSON.stringify(choice.value)} disabled={choice.disabled !== ''}>
            {choice.label}{choice.disabled ? ` (${choice.disabled})` : ''}
          </option>
        {/each}
      </select>
    {:else if field.kind === 'boolean'}
      <input
        {id}
        type="checkbox"
        disabled={off}
        checked={Boolean(field.value)}
        onchange={(event) => commit(event.currentTarget.checked)}
      />
    {:else if field.kind === 'note'}
      <textarea
        {id}
        rows="2"
        disabled={off}
        value={text}
        oninput={(event) => input(event.currentTarget.value)}
        onblur={() => typed !== null && commit(typed)}
        onkeydown={key}></textarea>
    {:else}
      <input
        {id}
        type="text"
        class:number={field.kind === 'integer' || field.kind === 'number'}
        disabled={off}
        autocomplete="off"
        spellcheck="false"
        value={text}
        oninput={(event) => input(event.currentTarget.value)}
        onblur={() => typed !== null && commit(typed)}
        onkeydown={key}
        aria-invalid={problem !== ''}
        aria-describedby={problem ? `${id}-problem` : undefined}
        list={field.choices.length ? `${id}-known` : undefined}
      />
      {#if field.choices.length}
        <!-- What is usual is offered; anything else can be typed. -->
        <datalist id="{id}-known">
          {#each field.choices as choice (choice.label)}<option value={choice.label}
            ></option>{/each}
        </datalist>
      {/if}
    {/if}
    {#if field.unit}<span class="unit">{field.unit}</span>{/if}
    {#if field.restart}<span class="unit" title="Takes effect after a restart">restart</span>{/if}
  </div>
  {#if problem}
    <p class="problem" id="{id}-problem">{problem}</p>
  {:else if beside ?? field.beside}
    <p class="beside mono">{beside ?? field.beside}</p>
  {/if}
</div>

<style>
  .field {
    display: grid;
    grid-template-columns: minmax(92px, 38%) minmax(0, 1fr);
    align-items: center;
    gap: 0 var(--s4);
    min-height: 30px;
  }
  .field.wide {
    grid-template-columns: minmax(0, 1fr);
    row-gap: var(--s1);
    padding: var(--s2) 0;
  }
  label {
    color: var(--ink-2);
    line-height: 1.2;
  }
  .own label {
    color: var(--ink);
  }
  .term {
    display: block;
    font-size: var(--f-tiny);
    color: var(--ink-3);
  }
  .entry {
    display: flex;
    align-items: center;
    gap: var(--s3);
    min-width: 0;
  }
  .entry input[type='text'],
  select,
  textarea {
    flex: 1;
    width: 100%;
  }
  .number {
    text-align: right;
    font-family: var(--mono);
    font-size: var(--f-note);
  }
  .beside,
  .problem {
    grid-column: -2;
    font-size: var(--f-small);
    color: var(--ink-3);
    text-align: right;
    margin-bottom: var(--s2);
  }
  .problem {
    color: var(--bracken);
    text-align: left;
    font-size: var(--f-note);
  }
  .bad input {
    border-color: var(--bracken);
  }
  :disabled {
    background: transparent;
    border-color: var(--rule);
    color: var(--ink-2);
    opacity: 1;
  }
</style>

import type { Row } from './store.svelte';

/** Whether a station or a connection is itself switched off. */
export const isParked = (row: Row<'stations'> | Row<'connections'> | undefined): boolean =>
  row?.settings?.parked === true;

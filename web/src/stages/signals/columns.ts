/** The cells of a signal that can be edited, in the order of Tab. */
export const COLUMNS = ['name', 'type', 'link', 'unit', 'asked_ms'] as const;
export type Column = (typeof COLUMNS)[number];
export type Editing = { column: Column; text: string };

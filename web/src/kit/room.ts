import type { Schemas } from '../api/client';

/** How many more there is room for and what says so, in one sentence. */
export function roomSaid(room: Schemas['RoomOut']): string {
  if (room.refused) return `Room for 0 more: ${room.refused}`;
  if (room.more === null) return 'No computed limit on how many.';
  const [first, next] = room.limits;
  return `Room for ${room.more} more. First limit: ${first?.label ?? 'none'}${
    next ? `; next: ${next.label} (${next.more})` : ''
  }.`;
}

import type { PlantStore, Row } from '../../plant/store.svelte';

/** An exchange with what it belongs to. */
export type Line = {
  station: Row<'stations'>;
  connection: Row<'connections'>;
  exchange: Row<'exchanges'>;
};

/** The exchanges of stations, in their order. */
export const linesOf = (plant: PlantStore, stations: Row<'stations'>[]): Line[] =>
  stations.flatMap((station) =>
    plant
      .list('connections', 'station', station.id)
      .flatMap((connection) =>
        plant
          .list('exchanges', 'connection', connection.id)
          .map((exchange) => ({ station, connection, exchange })),
      ),
  );

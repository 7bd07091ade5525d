export { writeTidebridge, months } from './tidebridge/folder.ts';
export { BIKE_COUNT, bikeId, DAMAGES } from './tidebridge/trips.ts';
export { STATION_COUNT, stationCode } from './tidebridge/stations.ts';
export { startServices, type Ports, type Services } from './services/services.ts';
export { CLIENT } from './services/membership.ts';

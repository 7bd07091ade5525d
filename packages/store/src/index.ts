export { storeAddress } from './address.ts';
export { databaseBeside } from './beside.ts';
export { installationId } from './house.ts';
export { LEASE } from './claims.ts';
export { lockDirectory } from './lock.ts';
export { placeOf as folderPlace, requireNoOthers } from './place.ts';
export { openStore, type StoreAt } from './open-store.ts';
export { backupLines, dropInstant, instantOfEmbedded, instantOfSession } from './backup.ts';
export { backup, copy, placeOf, requireBackup, restore, type Place } from './program.ts';

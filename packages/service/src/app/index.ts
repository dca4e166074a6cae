export { StartError, type Clock } from '../kernel/index.js';
export { backupDatabase, startService, type Service, type StartOptions } from './service.js';
export { restoreDatabase, type Restored, type RestoreOptions, type RestoreSource } from './restore.js';
export { startDeliveryWorker, type DeliveryWorker, type DeliverOptions } from './deliver.js';
export { startNode, type Node, type NodeOptions } from './node.js';
export { initCluster, type MadeCluster } from './make-cluster.js';
export { examineAtRest } from './doctor.js';
export type { Finding } from '../features/doctor/index.js';
export { checkIntegrity } from './integrity.js';

export { nameServersOf, type OpenNameServers } from './servers.js';
export { NameServerSettings } from './settings.js';

export { threadQuestions, type ThreadQuestions } from './for-thread.js';
export { nameServersOf, type OpenNameServers } from './servers.js';
export { NameServerSettings } from './settings.js';

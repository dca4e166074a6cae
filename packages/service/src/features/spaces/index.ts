export { SpaceList, type SpaceView } from './model.js';
export { NO_RULES, SpaceSettings, type SpaceRules } from './settings.js';

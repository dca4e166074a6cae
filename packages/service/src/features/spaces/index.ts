export { SpaceView } from './model.js';
export { NO_RULES, SpaceSettings, type Identity, type SpaceRules } from './settings.js';

export { GestureStage, type GestureOutcome, type StagedGesture } from './gesture-stage.js';
export { openPlayerBrowser, type PlayerBrowser } from './player-browser.js';

export { startYard, type Yard } from './yard/yard.js';
export { defaultYardSettings, type YardSettings } from './yard/settings.js';
export type { Truth } from './yard/truth.js';
export { checkDigit } from './yard/container-number.js';
export { playYardRobot, quietChromium, type RobotOptions, type YardTransaction } from './robot/yard-robot.js';
export { defaultPostSettings, startPost, type Post, type PostSettings } from './post/post.js';
export type { PostMessage } from './post/post-message.js';

export { TalkPrinter, timesOf } from './print-talk.js';

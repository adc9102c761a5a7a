/** The parts of the local ears, for whoever listens without a host: training. */
export { Hearings } from './hearings.js';
export { modelFolder } from './model.js';
export { ClosedDecoder, OpenDecoder } from './native.js';
export { grammarsOf, profileMessage, USUAL } from './profile.js';

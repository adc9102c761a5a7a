/**
 * What counts as one address where there are limits: of IPv6 the network of 64 bits that anybody gets whole.
 */
import { ipKeyGenerator } from 'express-rate-limit';
import { plainAddress } from '../common/plain-address.js';

const NETWORK_BITS = 64;

/** @param shown as a socket shows it */
export const addressUnit = (shown: string): string => ipKeyGenerator(plainAddress(shown), NETWORK_BITS);

#!/usr/bin/env node
import { main } from '../dist/main.js';

// Whoever reads what is written may stop reading: that is no fault.
process.stdout.on('error', (error) => {
  if (error.code === 'EPIPE') process.exit(0);
  throw error;
});

const code = await main(process.argv.slice(2), process);
// A command that failed may have left something open.
if (code !== 0) process.exit(code);

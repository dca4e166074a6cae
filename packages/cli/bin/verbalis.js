#!/usr/bin/env node
import { main } from '../bundle/app/main.js';

process.exitCode = await main(process.argv.slice(2));

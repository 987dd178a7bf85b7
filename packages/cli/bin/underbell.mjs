#!/usr/bin/env node
import { built } from '../../../scripts/bundle.mjs';

// Built anew when its sources changed since.
await import(await built('cli'));

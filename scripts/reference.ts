// Writes docs/command-line.md from the program.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createProgram } from '../packages/cli/src/program.ts';
import { referenceOf } from '../packages/cli/src/platform/reference.ts';
import { root } from './install.mjs';

writeFileSync(join(root, 'docs/command-line.md'), referenceOf(createProgram()));

import { mkdirSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import ts from 'typescript';
import { defineConfig, type Plugin } from 'vite';

const here = dirname(fileURLToPath(import.meta.url));

/** Writes the element's types beside its script, for hosts whose editors read them. */
const types = (): Plugin => ({
  name: 'types of the element',
  closeBundle() {
    const source = join(here, 'src', 'underBellElement.ts');
    const options: ts.CompilerOptions = {
      declaration: true,
      emitDeclarationOnly: true,
      strict: true,
      lib: ['lib.es2023.d.ts', 'lib.dom.d.ts', 'lib.dom.iterable.d.ts'],
      target: ts.ScriptTarget.ES2022,
      module: ts.ModuleKind.ESNext,
    };
    const program = ts.createProgram([source], options);
    program.emit(undefined, (_name, text) => {
      mkdirSync(join(here, 'dist'), { recursive: true });
      writeFileSync(join(here, 'dist', 'element.d.ts'), text);
    });
  },
});

export default defineConfig({
  plugins: [types()],
  build: {
    lib: { entry: 'src/index.ts', formats: ['es'], fileName: () => 'element.js' },
    target: 'es2022',
    rolldownOptions: { checks: { pluginTimings: false } },
    minify: true,
  },
});

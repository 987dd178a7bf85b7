import tseslint from 'typescript-eslint';
import vue from 'eslint-plugin-vue';
import vueParser from 'vue-eslint-parser';

const afterAwait = [
  {
    selector: "AssignmentExpression[operator!='='] AwaitExpression",
    message: 'What was read before the await is old after it: wait first, then add.',
  },
  {
    selector: 'AssignmentExpression > ObjectExpression > SpreadElement ~ Property > AwaitExpression',
    message: 'What was spread before the await is old after it: wait first, then spread.',
  },
];
const byModels = [
  "CallExpression[callee.property.name='query'][callee.object.property.name='records']",
  "ImportSpecifier[imported.name='askSql']",
].map((selector) => ({
  selector,
  message: 'Ask the models; what none can say stands in a file `*.sql.ts`, with its reason.',
}));

export default [
  { ignores: ['**/dist/**', '**/node_modules/**', '.underbell/**'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    files: ['**/*.vue'],
    languageOptions: { parser: vueParser, parserOptions: { parser: tseslint.parser, sourceType: 'module' } },
  },
  {
    rules: {
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': 'error',
      'no-console': 'error',
      eqeqeq: 'error',
      'require-atomic-updates': ['error', { allowProperties: true }],
      'no-restricted-syntax': ['error', ...afterAwait],
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/first-attribute-linebreak': 'off',
      'vue/multi-word-component-names': 'off',
    },
  },
  {
    files: ['packages/service/src/**'],
    ignores: ['**/*.sql.ts'],
    rules: { 'no-restricted-syntax': ['error', ...afterAwait, ...byModels] },
  },
  // Tests go step by step.
  { files: ['**/test/**', 'e2e/**'], rules: { 'require-atomic-updates': 'off', 'no-restricted-syntax': 'off' } },
  { files: ['scripts/**', 'bench/**', 'demo/**', 'e2e/**'], rules: { 'no-console': 'off' } },
];

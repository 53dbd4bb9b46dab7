import js from '@eslint/js';
import globals from 'globals';

const rules = {
  'no-unused-vars': ['error', { args: 'none' }],
  'max-lines': ['error', 250],
  'max-statements-per-line': ['error', { max: 1 }],
  'no-implicit-globals': 'error',
  'no-var': 'error',
  'prefer-const': 'error',
  eqeqeq: 'error',
};

export default [
  { ignores: ['src/studio/static/vendor/**', 'var/**'] },
  js.configs.recommended,
  { files: ['src/studio/static/**/*.js'], languageOptions: { globals: globals.browser }, rules },
  { files: ['tests/page/**/*.js'], languageOptions: { globals: { ...globals.node, ...globals.browser } }, rules },
];

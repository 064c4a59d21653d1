import eslint from '@eslint/js';
import angular from 'angular-eslint';
import prettier from 'eslint-config-prettier/flat';
import { defineConfig, globalIgnores } from 'eslint/config';
import tseslint from 'typescript-eslint';

const nodeGlobals = {
  process: 'readonly',
  fetch: 'readonly',
  setTimeout: 'readonly',
  setInterval: 'readonly',
  clearInterval: 'readonly',
  URL: 'readonly',
  URLSearchParams: 'readonly',
  performance: 'readonly',
  Buffer: 'readonly',
  console: 'readonly',
  AbortSignal: 'readonly',
  structuredClone: 'readonly',
};

export default defineConfig(
  globalIgnores(['**/dist/', '**/.angular/', '**/out-tsc/', '**/coverage/', 'test-results/', '.sturdy/', 'packages/server/migrations/']),
  eslint.configs.recommended,
  {
    files: ['**/*.ts'],
    extends: [tseslint.configs.strictTypeChecked, tseslint.configs.stylisticTypeChecked],
    languageOptions: {
      parserOptions: {
        project: ['./tsconfig.spec.json', './packages/web/tsconfig.spec.json'],
        tsconfigRootDir: import.meta.dirname,
      },
    },
    rules: {
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', destructuredArrayIgnorePattern: '^_' },
      ],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true, ignoreVoidReturningFunctions: true }],
      '@typescript-eslint/consistent-indexed-object-style': 'off',
      // Bracket access is what noPropertyAccessFromIndexSignature asks for.
      '@typescript-eslint/dot-notation': 'off',
    },
  },
  {
    files: ['packages/web/src/**/*.ts'],
    extends: [angular.configs.tsRecommended],
    processor: angular.processInlineTemplates,
    rules: {
      '@angular-eslint/component-selector': ['error', { type: 'element', prefix: 'app', style: 'kebab-case' }],
      '@angular-eslint/component-class-suffix': 'off',
      '@angular-eslint/prefer-on-push-component-change-detection': 'error',
      '@typescript-eslint/no-extraneous-class': ['error', { allowWithDecorator: true }],
      // NgRx chains unsubscribe by themselves; template casts read event targets.
      '@typescript-eslint/unbound-method': 'off',
    },
  },
  { files: ['packages/web/src/**/*.html'], extends: [angular.configs.templateRecommended, angular.configs.templateAccessibility] },
  {
    files: ['packages/web/jest.config.js', '**/*.cjs'],
    languageOptions: { sourceType: 'commonjs', globals: { require: 'readonly', module: 'writable' } },
  },
  { files: ['**/*.mjs'], languageOptions: { globals: nodeGlobals } },
  prettier,
);

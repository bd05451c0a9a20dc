import js from '@eslint/js';
import { createTypeScriptImportResolver } from 'eslint-import-resolver-typescript';
import { importX } from 'eslint-plugin-import-x';
import jsxA11y from 'eslint-plugin-jsx-a11y';
import reactHooks from 'eslint-plugin-react-hooks';
import globals from 'globals';
import tseslint from 'typescript-eslint';

/** Our own controls, which labels stand around. */
const CONTROLS = ['Choice', 'Line', 'Lines', 'Select', 'SelectInline', 'Tick'];
const SCROLLING = ['aside', 'div', 'ol', 'pre', 'section'];

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  js.configs.recommended,
  ...tseslint.configs.strict,
  reactHooks.configs.flat.recommended,
  importX.flatConfigs.typescript,
  jsxA11y.flatConfigs.recommended,
  {
    settings: { 'import-x/resolver-next': [createTypeScriptImportResolver()] },
    plugins: { 'import-x': importX },
    rules: {
      'import-x/no-cycle': ['error', { ignoreExternal: true }],
      // What an action opens takes the focus, as the practices of WAI-ARIA want it.
      'jsx-a11y/no-autofocus': 'off',
      'jsx-a11y/label-has-associated-control': ['error', { controlComponents: CONTROLS, depth: 4 }],
      // What scrolls must be reached by keyboard (axe: scrollable-region-focusable).
      'jsx-a11y/no-noninteractive-tabindex': ['error', { tags: SCROLLING, roles: ['group'] }],
      // Keys are heard by what holds the controls: Escape by a form, arrows by a list.
      'jsx-a11y/no-noninteractive-element-interactions': [
        'error',
        { handlers: ['onClick', 'onMouseDown', 'onMouseUp'] },
      ],
    },
  },
  { languageOptions: { globals: globals.browser } },
);

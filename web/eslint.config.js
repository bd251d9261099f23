import js from '@eslint/js'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['dist', 'src/api/schema.d.ts', 'src/components.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...vue.configs['flat/recommended'],
  prettier,
  {
    languageOptions: { globals: globals.browser, parserOptions: { parser: ts.parser } },
    rules: {
      // The compiler knows every name, and tells those that are not used.
      'no-undef': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      // What `noUncheckedIndexedAccess` cannot see is said with an exclamation mark.
      '@typescript-eslint/no-non-null-assertion': 'off',
      // Types are checked; a default would say the same twice.
      'vue/require-default-prop': 'off',
      eqeqeq: 'error',
    },
  },
  {
    files: ['src/**/*.test.ts'],
    ignores: ['src/**/*.apart.test.ts'],
    rules: {
      'no-restricted-properties': [
        'error',
        { object: 'vi', property: 'mock', message: 'The other files share their modules with this one: name it *.apart.test.ts.' },
      ],
    },
  },
  { files: ['public/**/*.js'], languageOptions: { globals: globals.audioWorklet } },
)

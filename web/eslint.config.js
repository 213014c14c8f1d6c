import { defineConfigWithVueTs, vueTsConfigs } from '@vue/eslint-config-typescript'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'

export default defineConfigWithVueTs(
  { ignores: ['dist/**', 'src/api/schema.d.ts'] },
  vue.configs['flat/recommended'],
  vueTsConfigs.strictTypeChecked,
  {
    rules: {
      // Typed lint sees .vue imports as any.
      '@typescript-eslint/no-redundant-type-constituents': 'off',
      // Numbers in templates are meant.
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      'vue/multi-word-component-names': 'off',
      'vue/define-macros-order': 'error',
    },
  },
  prettier,
)

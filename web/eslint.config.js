import js from '@eslint/js'
import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'

export default [
  { ignores: ['dist', 'node_modules', 'src/api/schema.d.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...vue.configs['flat/essential'],
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    rules: {
      'vue/no-restricted-syntax': [
        'error',
        {
          // A value bound so is set back whenever the page is drawn anew, over what somebody is typing.
          selector:
            "VElement[name='input'] > VStartTag:has(VAttribute[directive=true][key.name.name='bind'][key.argument.name='value']):not(:has(VAttribute[directive=true][key.name.name='model'])):not(:has(VAttribute[key.name='readonly'])):not(:has(VAttribute[directive=true][key.name.name='on'][key.argument.name='input']))",
          message: 'Use v-model, or TextAnswer: a bound value overwrites what is being typed.',
        },
      ],
    },
  },
  { rules: { 'no-undef': 'off', 'vue/multi-word-component-names': 'off', eqeqeq: 'error' } },
]

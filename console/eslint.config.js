import jsxA11y from 'eslint-plugin-jsx-a11y'
import reactHooks from 'eslint-plugin-react-hooks'
import tseslint from 'typescript-eslint'

const literal =
  "JSXAttribute[name.name='style'] > JSXExpressionContainer > ObjectExpression:not(:has(Property > :matches(Identifier, MemberExpression, CallExpression, TemplateLiteral, BinaryExpression, ConditionalExpression).value))"
const inComponent = { selector: literal, message: 'Say it in a styled component.' }

export default tseslint.config(
  { ignores: ['src/api/schema.gen.ts'] },
  ...tseslint.configs.recommended,
  jsxA11y.flatConfigs.recommended,
  reactHooks.configs.flat['recommended-latest'],
  {
    // How something looks is said once, in a styled component; a style of its own is for what is reckoned.
    rules: {
      'no-restricted-syntax': ['error', inComponent],
    },
  },
  {
    files: ['src/page/**', 'src/tile/**', 'src/app.tsx'],
    rules: {
      'no-restricted-syntax': [
        'error',
        {
          selector: 'JSXOpeningElement[name.name=/^(input|select|textarea)$/]',
          message: 'Fields are in ui.',
        },
        inComponent,
      ],
    },
  },
)

// Node 20 lacks Object.groupBy, which a plugin calls.
Object.groupBy ??= (items, key) =>
  [...items].reduce((groups, item, index) => {
    ;(groups[key(item, index)] ??= []).push(item)
    return groups
  }, {})

const { default: withNuxt } = await import('./.nuxt/eslint.config.mjs')
const { default: jsdoc } = await import('eslint-plugin-jsdoc')

/** Methods that change a list, a map or a set. */
const CHANGES_IN_PLACE = new Set([
  'push',
  'pop',
  'shift',
  'unshift',
  'splice',
  'sort',
  'reverse',
  'set',
  'add',
  'delete',
  'clear',
])

/**
 * A transaction may run again: the function that is given to it changes nothing outside of itself, and returns
 * its findings.
 */
const transactionRule = {
  meta: {
    messages: { outside: '{{name}} is changed in a transaction that may run again: return it instead.' },
  },
  create: (context) => ({
    CallExpression({ callee, arguments: [first, second] }) {
      const isTransaction = callee.type === 'MemberExpression' && callee.property.name === 'transaction'
      const work = isTransaction ? first : second
      if (!isTransaction && !(callee.type === 'Identifier' && callee.name === 'edit')) return
      if (work?.type !== 'ArrowFunctionExpression' && work?.type !== 'FunctionExpression') return
      const scope = context.sourceCode.getScope(work.body)
      const isOwn = (variable) => {
        for (let at = variable.scope; at; at = at.upper) if (at.block === work) return true
        return false
      }
      const visit = (at) => {
        for (const { identifier, resolved, isWrite } of at.references.map((one) => ({
          identifier: one.identifier,
          resolved: one.resolved,
          isWrite: one.isWrite(),
        }))) {
          const { parent } = identifier
          const isChanged =
            parent.type === 'MemberExpression' &&
            parent.object === identifier &&
            parent.parent.type === 'CallExpression' &&
            parent.parent.callee === parent &&
            CHANGES_IN_PLACE.has(parent.property.name)
          if (resolved && !isOwn(resolved) && (isWrite || isChanged))
            context.report({ node: identifier, messageId: 'outside', data: { name: identifier.name } })
        }
        at.childScopes.forEach(visit)
      }
      visit(scope.block === work ? scope : (context.sourceCode.scopeManager.acquire(work) ?? scope))
    },
  }),
}

export default withNuxt(
  { ignores: ['docs/', 'tests/vectors/'] },
  {
    rules: {
      '@typescript-eslint/no-unused-vars': [
        'error',
        { argsIgnorePattern: '^_', varsIgnorePattern: '^_', ignoreRestSiblings: true },
      ],
      'no-nested-ternary': 'error',
      'no-cond-assign': ['error', 'always'],
      // Playwright reads a fixture's needs off its first parameter, which must be a pattern.
      'no-empty-pattern': ['error', { allowObjectPatternsAsParameters: true }],
      // Prettier's work.
      ...Object.fromEntries(
        [
          'html-indent',
          'html-closing-bracket-newline',
          'html-self-closing',
          'max-attributes-per-line',
          'multiline-html-element-content-newline',
          'singleline-html-element-content-newline',
          'first-attribute-linebreak',
          'html-closing-bracket-spacing',
          'html-quotes',
          'mustache-interpolation-spacing',
        ].map((rule) => [`vue/${rule}`, 'off']),
      ),
    },
  },
  {
    // Controls are Nuxt UI's, in one theme; our own drawings alone have what is raw.
    files: ['app/**/*.vue'],
    ignores: [
      'app/components/ribbon/**',
      'app/components/common/{AccessBand,SelectField,TwoBands}.vue',
      'app/components/schedules/WeekPainter.vue',
      'app/components/{board/BoardRow,common/RowTick,review/RevisionLine}.vue',
    ],
    rules: {
      'vue/no-restricted-html-elements': [
        'error',
        ...['button', 'input', 'select', 'textarea'].map((element) => ({
          element,
          message: 'Use ActButton, SelectField, or a control of Nuxt UI.',
        })),
      ],
    },
  },
  {
    // Texts stand in app/text/, whole and by page; what is typed as an example, and signs, may stand where
    // they are drawn.
    files: ['app/**/*.vue'],
    rules: {
      'vue/no-bare-strings-in-template': [
        'error',
        {
          allowlist: [
            '(',
            ')',
            ',',
            '.',
            ':',
            ';',
            '·',
            '…',
            '→',
            '←',
            '↑',
            '↓',
            '+',
            '−',
            '?',
            '/',
            '“',
            '”',
            '✓',
            '⠿',
            '×',
            '–',
            '|',
            ' ',
            '&',
            'Kairostat',
            'Ctrl K',
            'n',
            'tcp/21',
            'reelbrook.example',
            'vault.example',
            'br-guest',
            '192.0.2.128/25',
            '✕',
            '‹',
          ],
          attributes: {
            '/.+/': [
              'title',
              'aria-label',
              'placeholder',
              'label',
              'alt',
              'description',
              'help',
              'all',
              'where',
            ],
          },
        },
      ],
    },
  },
  {
    // What others call says in its comment what its types do not.
    files: [
      '{core,protocol,node,gateway,cli}/**/*.ts',
      'server/{database,outbox,accounts,draft,gateways,live,lists,activity,notices,places,operations,http}/**/*.ts',
      'app/{model,composables}/**/*.ts',
    ],
    ignores: ['**/*.test.ts', '**/*.d.ts'],
    plugins: { jsdoc },
    rules: {
      'jsdoc/require-jsdoc': [
        'error',
        {
          publicOnly: true,
          require: { FunctionDeclaration: true, ClassDeclaration: true, MethodDefinition: false },
        },
      ],
      'jsdoc/require-description': ['error', { descriptionStyle: 'body', exemptedBy: ['throws', 'returns'] }],
      'jsdoc/check-param-names': ['error', { disableMissingParamChecks: true }],
      'jsdoc/check-tag-names': ['error', { typed: true }],
      'jsdoc/require-param-description': 'error',
      'jsdoc/require-returns-description': 'error',
      'jsdoc/no-types': 'error',
      'jsdoc/sort-tags': [
        'error',
        {
          tagSequence: [
            { tags: ['param'] },
            { tags: ['returns'] },
            { tags: ['throws'] },
            { tags: ['example'] },
          ],
          linesBetween: 0,
        },
      ],
      'jsdoc/tag-lines': ['error', 'any', { startLines: 1 }],
    },
  },
  {
    files: ['server/**/*.ts'],
    ignores: ['**/*.test.ts'],
    plugins: { own: { rules: { transaction: transactionRule } } },
    rules: { 'own/transaction': 'error' },
  },
)

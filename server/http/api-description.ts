import type { Schema, SchemaDescription } from 'yup'
import policySchema from '../../docs/policy.schema.json' with { type: 'json' }
import * as forms from '../../protocol/forms.ts'
import { ERRORS } from '../errors.ts'
import { ROUTES, type RouteDescription } from './api-routes.ts'

/** Returns a route as OpenAPI describes it. */
function operationOf(path: string, route: RouteDescription): object {
  const fields = route.query === undefined ? {} : (schemaOf(route.query).properties ?? {})
  const query = Object.entries(fields).map(([name, schema]) => ({ name, in: 'query', schema }))
  const id = { name: 'id', in: 'path', required: true, schema: { type: 'string' } }
  const parameters = [...(path.includes('{id}') ? [id] : []), ...query]
  return {
    summary: route.summary,
    ...(parameters.length > 0 && { parameters }),
    ...(route.body !== undefined && {
      requestBody: { required: true, content: { 'application/json': { schema: schemaOf(route.body) } } },
    }),
    responses: {
      200: { description: route.answers, content: { [route.type ?? 'application/json']: {} } },
      default: { $ref: '#/components/responses/error' },
    },
    security: route.open ? [] : [{ session: [] }, ...(route.session ? [] : [{ token: [] }])],
  }
}

/** The description of every route as an OpenAPI 3.1 document, made from the forms that the routes read. */
export function openApiDocument(): object {
  const paths: Record<string, Record<string, object>> = {}
  for (const [name, route] of Object.entries(ROUTES)) {
    const [method, path] = name.split(' ') as [string, string]
    paths[path] = { ...paths[path], [method.toLowerCase()]: operationOf(path, route) }
  }
  const fault = { type: 'object', properties: { path: { type: 'string' }, message: { type: 'string' } } }
  const error = {
    type: 'object',
    required: ['code', 'message'],
    properties: {
      code: { enum: Object.keys(ERRORS) },
      message: { type: 'string' },
      faults: { type: 'array', items: fault },
    },
  }
  const schemas = JSON.parse(
    JSON.stringify({
      ...policySchema.$defs,
      policy: { ...policySchema, $schema: undefined, $id: undefined, $defs: undefined },
    }).replaceAll('#/$defs/', '#/components/schemas/'),
  ) as object
  return {
    openapi: '3.1.0',
    info: {
      title: 'Kairostat',
      version: '1',
      description:
        'Routes of the Kairostat server. docs/api.md says how to sign in, how entries are protected from being overwritten, and how events come.',
    },
    paths,
    components: {
      schemas,
      responses: {
        error: {
          description: 'What is wrong, and where.',
          content: { 'application/json': { schema: error } },
        },
      },
      securitySchemes: {
        session: { type: 'apiKey', in: 'cookie', name: 'kairostat' },
        token: { type: 'http', scheme: 'bearer' },
      },
    },
  }
}

interface JsonSchema {
  readonly type?: string | readonly string[]
  readonly properties?: Readonly<Record<string, JsonSchema>>
  readonly [more: string]: unknown
}

const schemaOf = (form: keyof typeof forms) => jsonSchema((forms[form] as Schema).describe())

/**
 * A schema of Yup as JSON Schema (2020-12). One over a reader of the policy's own refers to the document's
 * schema.
 */
function jsonSchema(description: SchemaDescription): JsonSchema {
  const { type, nullable, optional, oneOf, tests } = description
  const meta = description.meta as { part?: string } | undefined
  if (meta?.part !== undefined) return { $ref: `#/components/schemas/${meta.part}` }
  if ('fields' in description) {
    const fields = Object.entries(description.fields as Record<string, SchemaDescription>)
    return {
      type: 'object',
      required: fields.filter(([, field]) => !field.optional).map(([name]) => name),
      properties: Object.fromEntries(fields.map(([name, field]) => [name, jsonSchema(field)])),
    }
  }
  if ('innerType' in description)
    return { type: 'array', items: jsonSchema(description.innerType as SchemaDescription) }
  const limits = Object.fromEntries(
    tests.flatMap(({ name, params }): [string, unknown][] => {
      if (name === 'max') return [[type === 'string' ? 'maxLength' : 'maximum', params!.max]]
      if (name === 'min') return [[type === 'string' ? 'minLength' : 'minimum', params!.min]]
      return name === 'matches' ? [['pattern', (params!.regex as RegExp).source]] : []
    }),
  )
  const whole = tests.some(({ name }) => name === 'integer') ? 'integer' : type
  return {
    ...(type === 'mixed' ? { type: 'object' } : { type: nullable ? [whole, 'null'] : whole }),
    ...(oneOf.length > 0 && { enum: oneOf }),
    ...limits,
    ...(optional && description.default !== undefined && { default: description.default }),
  }
}

import { errorText } from '../../core/words/error-text.ts'

/** Says that the router did not do what was asked, and which part of the request that concerns. */
export class RouterFault extends Error {
  constructor(
    readonly path: 'address' | 'key' | 'start-up',
    message: string,
  ) {
    super(message)
  }
}

/** Returns a function that throws an error again, as a RouterFault of a part of the request. */
export function asRouterFault(path: RouterFault['path']): (error: unknown) => never {
  return (error) => {
    throw new RouterFault(path, errorText(error))
  }
}

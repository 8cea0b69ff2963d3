import type { RouterDriver } from '../../gateway/router/driver.ts'
import { RouterFault } from '../../gateway/router/router-fault.ts'
import { ApiError } from '../errors.ts'

/**
 * Returns the driver of the router.
 *
 * @throws ApiError `not-possible` where the application was started for a certain gateway
 */
export function driverOf(router: RouterDriver | null): RouterDriver {
  if (router) return router
  throw new ApiError('not-possible', '', [
    {
      path: 'KAIROSTAT_GATEWAY',
      message: 'names the gateway: start Kairostat without it to connect a router here',
    },
  ])
}

/**
 * Returns what the driver of the router answers.
 *
 * @throws ApiError `not-possible` where the router does not do what was asked
 */
export function ofRouter<T>(answer: Promise<T>): Promise<T> {
  return answer.catch((error: unknown) => {
    throw error instanceof RouterFault
      ? new ApiError('not-possible', '', [{ path: error.path, message: error.message }])
      : error
  })
}

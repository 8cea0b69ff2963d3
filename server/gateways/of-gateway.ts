import { GatewayRefusal } from '../../protocol/gateway/gateway.ts'
import { ApiError } from '../errors.ts'

/**
 * Returns the answer of a gateway.
 *
 * @throws ApiError `malformed` where it cannot do what it was asked, `gateway-away` where it does not answer
 */
export function ofGateway<T>(answer: Promise<T>): Promise<T> {
  return answer.catch((error: unknown) => {
    throw error instanceof GatewayRefusal
      ? new ApiError('malformed', error.message)
      : new ApiError('gateway-away', error instanceof Error ? error.message : '')
  })
}

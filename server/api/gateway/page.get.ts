import { setResponseHeaders } from 'h3'
import { pageForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { ofGateway } from '../../gateways/of-gateway.ts'

// The page is as the gateway shows it, so it brings its own style and asks for nothing.
export default apiHandler(async ({ gateway, event }) => {
  const { mac, name } = await queryOf(event, pageForm)
  const html = await ofGateway(gateway.page(mac, name))
  setResponseHeaders(event, {
    'content-type': 'text/html; charset=utf-8',
    'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'none'",
  })
  return html
})

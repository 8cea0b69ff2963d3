import type { CertificateAnswer } from '../../protocol/answers.ts'
import { apiHandler } from '../http/api-handler.ts'
import { factsOf } from '../operations/certificate.ts'

export default apiHandler(async ({ certificate }): Promise<CertificateAnswer> => ({
  certificate: certificate && { ...factsOf(certificate.pair.cert), isOwn: certificate.files.isOwn },
}))

// For the pages of the service. It may change with any version.
export { pathOf, ServiceHttp } from './remote/http.js'

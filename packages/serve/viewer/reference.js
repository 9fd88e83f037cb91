// The viewer of the OpenAPI document, with the session of the page. It loads nothing from elsewhere.
/* global window, document */
fetch('/openapi.json').then(async (response) => {
  if (response.status === 401) {
    document.getElementById('reference').innerHTML =
      '<p style="margin: 2rem; font-family: sans-serif">Sign in on the <a href="/">catalogue page</a> first.</p>'
    return
  }
  window.SwaggerUIBundle({
    spec: await response.json(),
    dom_id: '#reference',
    docExpansion: 'list',
    defaultModelsExpandDepth: -1,
    validatorUrl: null,
    tryItOutEnabled: true,
  })
})

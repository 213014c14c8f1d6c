// The content policy allows no scripts within the page.
const place = document.getElementById('api')
window.SwaggerUIBundle({ url: place.dataset.contract, domNode: place, deepLinking: true })

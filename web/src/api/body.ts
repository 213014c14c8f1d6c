/** A file's text as the body of a request, as it is: the client would make JSON of it. */
export function textBody(file: Blob): {
  body: string
  bodySerializer: () => BodyInit
  headers: Record<string, string>
} {
  return { body: '', bodySerializer: () => file, headers: { 'content-type': 'text/plain' } }
}

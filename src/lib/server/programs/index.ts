/** The interface for programs: what they can ask with an access token, and the document that says so. */
export { answerProgram } from './answer';
export { openApiDocument } from './document';
export { OPERATIONS } from './operations';

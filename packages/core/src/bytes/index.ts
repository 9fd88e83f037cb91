// The byte path: a table's rows are rendered as bytes, without making values of them. See README.md beside this file.
export { cutRow } from './cut.js'
export { JsonCutter } from './json-cut.js'
export { byteLines, type ByteLine, type ByteLines, type BytePlatform, type ByteRequest } from './lines.js'
export { ByteRow, kindsOf, BEYOND, DOUBLED, type Grow } from './row.js'

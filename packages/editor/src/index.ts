export { libraryFile, type LibraryFileOptions } from './library-file.js'
export { textLanguage, type TextOptions } from './text-language.js'
export { completionsAt, type Known } from './complete.js'

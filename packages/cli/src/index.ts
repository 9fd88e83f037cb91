export { run, type Surroundings } from './run.js'

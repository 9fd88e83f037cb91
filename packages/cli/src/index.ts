export { run, runFailed, type Surroundings } from './run.js'

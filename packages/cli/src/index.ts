export { run, runFailed, type CommandContext } from './run.js'

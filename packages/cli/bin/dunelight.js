#!/usr/bin/env node
import { run, runFailed } from '../dist/command.js'

const { stdin, stdout, stderr, env, argv } = process
const interrupt = new AbortController()
process.once('SIGINT', () => interrupt.abort())
process.once('SIGTERM', () => interrupt.abort())
const around = { argv: argv.slice(2), stdin, stdout, stderr, env, signal: interrupt.signal }
process.on('uncaughtException', (fault) => void runFailed(fault, around).then((code) => process.exit(code)))
process.exitCode = await run(around)

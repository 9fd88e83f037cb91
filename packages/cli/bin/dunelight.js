#!/usr/bin/env node
import { run } from '../dist/command.js'

const { stdin, stdout, stderr, env, argv } = process
const interrupt = new AbortController()
process.once('SIGINT', () => interrupt.abort())
process.once('SIGTERM', () => interrupt.abort())
process.exitCode = await run({ argv: argv.slice(2), stdin, stdout, stderr, env, signal: interrupt.signal })

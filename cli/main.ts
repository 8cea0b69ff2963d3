import { run } from './run.ts'

const { status, out, err } = await run(process.argv.slice(2), Date.now() / 1000, process.env.KAIROSTAT_TOKEN)
if (out) process.stdout.write(`${out}\n`)
if (err) process.stderr.write(`${err}\n`)
process.exitCode = status

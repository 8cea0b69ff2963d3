import { serveReader } from './program/reader-thread.ts'

// The same file is the program and the thread in which it reads policies.
if (!serveReader()) await import('./main.ts')

/**
 * The option of Node that compiles WebAssembly with the fast compiler alone: a process of the tests does not
 * live as long as the better code of the embedded database takes to be made.
 */
export const BASELINE_WASM = '--liftoff-only'

// Package e2e holds the tests that start the real program and drive it as people and programs do: over the command line,
// over HTTP, and in a headless Chromium.
package e2e

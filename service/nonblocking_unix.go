//go:build unix

package service

import "syscall"

// nonBlocking lets the opening of a pipe return at once.
const nonBlocking = syscall.O_NONBLOCK

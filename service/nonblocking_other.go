//go:build !unix

package service

// nonBlocking is nothing where there are no pipes among files.
const nonBlocking = 0

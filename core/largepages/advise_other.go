//go:build !linux

package largepages

func advise([]byte) {}

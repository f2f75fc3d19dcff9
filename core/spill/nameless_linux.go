package spill

import (
	"os"

	"golang.org/x/sys/unix"
)

// nameless opens a new file in dir that has no name. Not every file system can.
func nameless(dir string) (*os.File, error) {
	return os.OpenFile(dir, os.O_RDWR|unix.O_TMPFILE, 0o600)
}

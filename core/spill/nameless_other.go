//go:build !linux

package spill

import (
	"errors"
	"os"
)

func nameless(string) (*os.File, error) { return nil, errors.ErrUnsupported }

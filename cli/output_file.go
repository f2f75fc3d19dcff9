package cli

import (
	"os"
	"path/filepath"
)

// notOver refuses an output file that is one of the files that the same command reads: writing it would destroy the input. Links to
// a file are the file.
func notOver(out string, inputs ...string) error {
	if out == "" {
		return nil
	}
	to, err := os.Stat(out)
	if err != nil {
		return folderOf(out)
	}
	if to.IsDir() {
		return wrongRequest("--out %s is a folder; name a file in it", out)
	}
	for _, in := range inputs {
		if from, err := os.Stat(in); err == nil && os.SameFile(to, from) {
			return wrongRequest("--out %s is a file that this command reads; name another one", out)
		}
	}
	return nil
}

// folderOf refuses an output file in a folder that does not exist.
func folderOf(out string) error {
	folder := filepath.Dir(out)
	info, err := os.Stat(folder)
	switch {
	case os.IsNotExist(err):
		return broken("the folder %s does not exist, so %s cannot be written there", folder, filepath.Base(out))
	case err == nil && !info.IsDir():
		return broken("%s is not a folder, so %s cannot be written there", folder, filepath.Base(out))
	}
	return nil
}

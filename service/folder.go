package service

import (
	"context"
	"io/fs"
	"os"

	"twinsieve/service/view"
)

// folderMost is how many files of the folder are listed.
const folderMost = 1000

// Folder lists the files in the folder that the service may read, and in the folders within it.
func (v *Service) Folder(ctx context.Context) (*view.Folder, error) {
	list := &view.Folder{Files: []view.FolderFile{}}
	if v.options.Folder == "" {
		return list, nil
	}
	root, err := os.OpenRoot(v.options.Folder)
	if err != nil {
		return nil, view.Invalid.New("The service's folder cannot be read: " + err.Error() + ".")
	}
	defer root.Close()
	list.Allowed = true
	err = fs.WalkDir(root.FS(), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || ctx.Err() != nil {
			return ctx.Err() // what cannot be looked into is left out
		}
		if len(list.Files) == folderMost {
			return fs.SkipAll
		}
		if info, err := d.Info(); err == nil && info.Mode().IsRegular() {
			list.Files = append(list.Files, view.FolderFile{Path: path, Bytes: info.Size(), Modified: info.ModTime()})
		}
		return nil
	})
	return list, err
}

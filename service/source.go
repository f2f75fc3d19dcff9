package service

import (
	"errors"
	"fmt"
	"io"
	"os"

	"twinsieve/service/view"
)

// opened is a source that has been opened: a file that can be read from any place.
type opened struct {
	io.ReaderAt
	name  string
	size  int64
	close func()
}

// openSource opens what a reference names. It is to be closed.
func (v *Service) openSource(ref view.SourceRef) (*opened, error) {
	switch {
	case ref.Upload != "" && ref.Path != "":
		return nil, view.Invalid.New("The source names both an upload and a file in the folder; name one of them.")
	case ref.Upload != "":
		u, ok := v.uploads.take(ref.Upload)
		if !ok {
			return nil, noUpload(ref.Upload)
		}
		return &opened{u.file, u.Name, u.Bytes, func() { v.uploads.giveBack(u) }}, nil
	case ref.Path != "":
		return v.openInFolder(ref.Path)
	}
	return nil, view.Invalid.New("The source names nothing; name an upload or a file in the folder.")
}

func (v *Service) openInFolder(path string) (*opened, error) {
	if v.options.Folder == "" {
		return nil, view.Invalid.New("This service may read no folder; start it with --folder, or send the file.")
	}
	root, err := os.OpenRoot(v.options.Folder)
	if err != nil {
		return nil, view.Invalid.New("The service's folder cannot be read: " + err.Error() + ".")
	}
	defer root.Close()
	// Nothing outside the folder can be opened through it, whether by .. or by a link.
	f, err := root.Open(path)
	if err != nil {
		var at *os.PathError
		what := err.Error()
		if errors.As(err, &at) {
			what = at.Err.Error()
		}
		return nil, view.Invalid.New(fmt.Sprintf("%s cannot be read in the service's folder: %s.", path, what))
	}
	info, err := f.Stat()
	if err == nil && !info.Mode().IsRegular() {
		err = errors.New("it is no file")
	}
	if err != nil {
		_ = f.Close()
		return nil, view.Invalid.New(fmt.Sprintf("%s cannot be read in the service's folder: %s.", path, err))
	}
	return &opened{f, path, info.Size(), func() { _ = f.Close() }}, nil
}

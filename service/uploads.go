package service

import (
	"context"
	"crypto/rand"
	"fmt"
	"io"
	"os"
	"strings"
	"sync"
	"time"

	"twinsieve/service/view"
	"twinsieve/store"
)

// uploads are the files that have been sent and wait to be loaded. They live in temporary files, and a restart forgets them.
type uploads struct {
	mu   sync.Mutex
	byID map[string]*upload
}

type upload struct {
	view.Upload
	file  *os.File
	users int // that are reading it just now
	gone  bool
	used  time.Time
}

// uploadsKept is how long an upload waits to be loaded after it was last looked at.
const uploadsKept = 2 * time.Hour

func (us *uploads) close() {
	us.mu.Lock()
	defer us.mu.Unlock()
	for _, u := range us.byID {
		us.drop(u)
	}
}

// drop forgets an upload, and closes its file when nobody reads it any more.
func (us *uploads) drop(u *upload) {
	delete(us.byID, u.ID)
	u.gone = true
	if u.users == 0 {
		_ = u.file.Close() // it is unlinked already
	}
}

// take returns an upload that stays until it is given back.
func (us *uploads) take(id string) (*upload, bool) {
	us.mu.Lock()
	defer us.mu.Unlock()
	u, ok := us.byID[id]
	if ok {
		u.users++
		u.used = time.Now()
	}
	return u, ok
}

func (us *uploads) giveBack(u *upload) {
	us.mu.Lock()
	defer us.mu.Unlock()
	if u.users--; u.users == 0 && u.gone {
		_ = u.file.Close()
	}
}

func (us *uploads) put(u *upload) {
	us.mu.Lock()
	defer us.mu.Unlock()
	if us.byID == nil {
		us.byID = map[string]*upload{}
	}
	for _, old := range us.byID {
		if old.users == 0 && time.Since(old.used) > uploadsKept {
			us.drop(old)
		}
	}
	us.byID[u.ID] = u
}

// Upload takes a file in, to be looked at and loaded. Its bytes go to a temporary file as they come.
func (v *Service) Upload(ctx context.Context, name string, source io.Reader) (*view.Upload, error) {
	f, err := os.CreateTemp(v.store.TempDir(), "twinsieve-spill-upload-*")
	if err != nil {
		return nil, err
	}
	_ = os.Remove(f.Name()) // where an open file can be unlinked; elsewhere the next start clears it
	size, err := io.Copy(f, io.LimitReader(source, v.options.Upload+1))
	switch {
	case err != nil && strings.Contains(err.Error(), "no space left"):
		err = problem(store.ErrFull, "")
	case err != nil:
		err = view.Invalid.New("The file did not arrive whole: " + err.Error())
	case size > v.options.Upload:
		err = view.TooLarge.New(fmt.Sprintf("%s has more than %d bytes, the most that is taken here; pack it with gzip or zstd, put it into the service's folder, or raise the limit with --upload-limit.", name, v.options.Upload))
	}
	if err != nil {
		_ = f.Close()
		return nil, err
	}
	u := &upload{Upload: view.Upload{ID: rand.Text(), Name: name, Bytes: size}, file: f, used: time.Now()}
	v.uploads.put(u)
	return &u.Upload, nil
}

// DropUpload forgets an upload that will not be loaded.
func (v *Service) DropUpload(_ context.Context, id string) error {
	v.uploads.mu.Lock()
	defer v.uploads.mu.Unlock()
	u, ok := v.uploads.byID[id]
	if !ok {
		return noUpload(id)
	}
	v.uploads.drop(u)
	return nil
}

func noUpload(id string) error {
	return view.NotFound.New(fmt.Sprintf("There is no upload %s any more; send the file again.", id))
}

package service

import (
	"errors"
	"io"
	"os"
	"strings"
	"testing"
	"time"

	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/store"
)

func newService(t *testing.T, o Options) *Service {
	t.Helper()
	s, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	v := New(s, o)
	t.Cleanup(func() {
		v.Close()
		_ = s.Close()
	})
	return v
}

func isProblem(err error, kind view.ProblemKind) bool {
	p := new(view.Problem)
	return errors.As(err, &p) && kind.Is(p)
}

// TestUploadInUse: an upload that is forgotten while it is read can be read to its end, and by nobody else.
func TestUploadInUse(t *testing.T) {
	v := newService(t, Options{})
	u, err := v.Upload(t.Context(), "log.csv", strings.NewReader("a\n1\n"))
	if err != nil || u.Bytes != 4 {
		t.Fatal(u, err)
	}
	file, err := v.openSource(t.Context(), view.SourceRef{Place: view.Place{Upload: u.ID}})
	if err != nil {
		t.Fatal(err)
	}
	if err := v.DropUpload(t.Context(), u.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := v.openSource(t.Context(), view.SourceRef{Place: view.Place{Upload: u.ID}}); !isProblem(err, view.NotFound) {
		t.Errorf("opened again: %v", err)
	}
	if err := v.DropUpload(t.Context(), u.ID); !isProblem(err, view.NotFound) {
		t.Errorf("forgotten again: %v", err)
	}
	src, err := file.read(t.Context(), intake.Choices{}, intake.Options{})
	if err != nil {
		t.Fatal(err)
	}
	defer src.Close()
	if b, err := src.Next(); err != nil || b.Records() != 1 {
		t.Errorf("%v, %v", b, err)
	}
	file.close()
}

// TestOldUploads: uploads that nobody has looked at for long are forgotten when the next one comes, but for those in use.
func TestOldUploads(t *testing.T) {
	v := newService(t, Options{Upload: 100})
	send := func() string {
		u, err := v.Upload(t.Context(), "log.csv", strings.NewReader("a\n1\n"))
		if err != nil {
			t.Fatal(err)
		}
		return u.ID
	}
	old, used, fresh := send(), send(), send()
	held, _ := v.uploads.take(used)
	for _, id := range []string{old, used} {
		v.uploads.byID[id].used = time.Now().Add(-uploadsKept - time.Minute)
	}
	send()
	for id, want := range map[string]bool{old: false, used: true, fresh: true} {
		if _, there := v.uploads.byID[id]; there != want {
			t.Errorf("upload there: %v, want %v", there, want)
		}
	}
	v.uploads.giveBack(held)
	if _, err := v.Upload(t.Context(), "large.csv", io.LimitReader(endless{}, 101)); !isProblem(err, view.TooLarge) {
		t.Errorf("a large one: %v", err)
	}
	if _, err := v.Upload(t.Context(), "cut.csv", io.MultiReader(strings.NewReader("a"), broken{})); !isProblem(err, view.Invalid) || !strings.Contains(err.Error(), "did not arrive whole") {
		t.Errorf("one that broke off: %v", err)
	}
	if files, err := os.ReadDir(v.store.TempDir()); err != nil || len(files) != 0 {
		t.Errorf("left are %v, %v", files, err)
	}
}

type endless struct{}

func (endless) Read(b []byte) (int, error) { return len(b), nil }

type broken struct{}

func (broken) Read([]byte) (int, error) { return 0, errors.New("the line is dead") }

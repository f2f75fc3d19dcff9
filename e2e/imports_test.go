package e2e

import (
	"bufio"
	"bytes"
	"encoding/json"
	"io"
	"os/exec"
	"strings"
	"testing"
)

// rooms are the packages' folders, the highest first. A package may import packages of rooms below its own, and of its
// own room; nothing imports upwards.
var rooms = []string{"cmd", "e2e", "bench", "cli", "client", "api", "console", "service", "store", "demo", "sources", "formats", "core"}

// coreMayUse are the outside packages that the computation is allowed: none that speaks HTTP, SQL or to a terminal.
var coreMayUse = []string{"cel.dev/cel-go/", "github.com/apache/arrow-go/", "github.com/cespare/xxhash/", "github.com/shopspring/decimal", "golang.org/x/crypto/", "golang.org/x/sync/", "golang.org/x/sys/", "golang.org/x/text/"}

// coreMayNot are packages of the standard library that have no place in the computation.
var coreMayNot = []string{"net", "net/http", "database/sql", "log", "log/slog", "flag", "os/exec"}

// TestImports checks that imports point downwards only, and that the core has no interface code.
func TestImports(t *testing.T) {
	t.Parallel()
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "twinsieve/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	rank := func(path string) int {
		room := strings.SplitN(strings.TrimPrefix(path, "twinsieve/"), "/", 2)[0]
		for i, r := range rooms {
			if r == room {
				return i
			}
		}
		t.Fatalf("%s is in none of the rooms %v; give the room its place in the list", path, rooms)
		return 0
	}
	dec := json.NewDecoder(bufio.NewReader(bytes.NewReader(out)))
	packages := 0
	for {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := dec.Decode(&p); err == io.EOF {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		packages++
		inCore := strings.HasPrefix(p.ImportPath, "twinsieve/core/")
		for _, i := range p.Imports {
			switch {
			case strings.HasPrefix(i, "twinsieve/"):
				if rank(i) < rank(p.ImportPath) {
					t.Errorf("%s imports %s, which is above it", p.ImportPath, i)
				}
			case inCore && strings.Contains(strings.SplitN(i, "/", 2)[0], "."):
				if !startsWithOne(i, coreMayUse) {
					t.Errorf("%s imports %s, which the core may not use", p.ImportPath, i)
				}
			case inCore:
				for _, not := range coreMayNot {
					if i == not {
						t.Errorf("%s imports %s, which has no place in the core", p.ImportPath, i)
					}
				}
			}
			if strings.Contains(i, "gorm.io") && !strings.HasPrefix(p.ImportPath, "twinsieve/store") {
				t.Errorf("%s imports %s, which only the store may", p.ImportPath, i)
			}
			if strings.Contains(i, "gin-gonic") && p.ImportPath != "twinsieve/api" {
				t.Errorf("%s imports %s, which only the interface may", p.ImportPath, i)
			}
		}
	}
	if packages < 20 {
		t.Errorf("only %d packages were looked at", packages)
	}
}

func startsWithOne(text string, starts []string) bool {
	for _, s := range starts {
		if strings.HasPrefix(text, s) {
			return true
		}
	}
	return false
}

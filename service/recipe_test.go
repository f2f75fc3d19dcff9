package service

import (
	"encoding/json"
	"testing"

	"twinsieve/store"
)

// TestOldRecipes: of recipes that were kept when what was detected counted as stated, only what was stated is kept for the next load. They are
// as the versions of the time wrote them.
func TestOldRecipes(t *testing.T) {
	const rest = `"why":"","others":[]}`
	for name, c := range map[string]struct{ recipe, findings, choices, stack string }{
		"detected": {
			`{"source":{},"choices":{"format":"delimited","packing":"none","encoding":"windows-1252","delimiter":",","header":"first","footers":[]}}`,
			`{"guesses":[{"choice":"encoding","value":"windows-1252","sure":false,` + rest + `,{"choice":"format","value":"delimited","sure":false,` + rest + `,{"choice":"delimiter","value":",","sure":false,` + rest + `,{"choice":"header","value":"first","sure":false,` + rest + `],"footers":[],"footed":0,"held":[],"types":[]}`,
			`{}`, `null`,
		},
		"some stated": {
			`{"source":{},"choices":{"format":"delimited","packing":"none","encoding":"windows-1252","delimiter":",","header":"first","footers":["Total"],"types":{"amt":"decimal"},"blanks":["n/a"]}}`,
			`{"guesses":[{"choice":"format","value":"delimited","sure":false,` + rest + `,{"choice":"header","value":"first","sure":false,` + rest + `],"footers":[],"footed":0,"held":[],"types":[]}`,
			`{"encoding":"windows-1252","delimiter":",","footers":["Total"],"types":{"amt":"decimal"},"blanks":["n/a"]}`, `null`,
		},
		"from the console": {
			`{"source":{},"choices":{"format":"delimited","packing":"none","encoding":"UTF-8","delimiter":";","header":"first","skipFirst":2,"footers":["Total"]}}`,
			`{"guesses":[],"footers":[],"footed":0,"held":[],"types":[]}`,
			`{"skipFirst":2}`, `null`,
		},
		"a stack": {
			`{"source":{"stack":[{"label":"e1.csv","choices":{"format":"delimited","packing":"none","encoding":"windows-1252","delimiter":",","header":"first","footers":[],"shortRows":"fill"}}]},"choices":{}}`,
			`{"guesses":[],"footers":[],"footed":0,"held":[],"types":[]}`,
			`{}`, `[{"label":"e1.csv","choices":{"shortRows":"fill"},"readAs":{"format":"delimited","packing":"none","encoding":"windows-1252","delimiter":",","header":"first","footers":[],"shortRows":"fill"}}]`,
		},
		"of today": {
			`{"source":{},"choices":{"encoding":"UTF-8"},"readAs":{"format":"delimited","packing":"none","encoding":"UTF-8","delimiter":",","header":"first"}}`,
			`{"guesses":[],"footers":[],"footed":0,"held":[],"types":[]}`,
			`{"encoding":"UTF-8"}`, `null`,
		},
	} {
		r, ok := recipeOf(store.Snapshot{Recipe: c.recipe, Findings: c.findings})
		choices, err := json.Marshal(r.Choices)
		if err != nil || !ok {
			t.Fatal(name, ok, err)
		}
		stack, err := json.Marshal(r.Source.Stack)
		if err != nil || string(choices) != c.choices || string(stack) != c.stack || r.ReadAs == nil {
			t.Errorf("%s: stated %s, stack %s, %v; want %s, %s", name, choices, stack, err, c.choices, c.stack)
		}
	}
	f := findingsOf(store.Snapshot{Findings: `{"guesses":[{"choice":"encoding","value":"UTF-8","sure":false,"why":"nothing but ASCII","others":[]}]}`})
	if len(f.Guesses) != 1 || !f.Guesses[0].Open {
		t.Errorf("nothing but ASCII: %+v", f.Guesses)
	}
}

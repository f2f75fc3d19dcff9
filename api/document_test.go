package api

import (
	"os"
	"strings"
	"testing"
)

// TestDocumentIsCurrent holds the document that the console's types are generated from against the serving types.
func TestDocumentIsCurrent(t *testing.T) {
	want, err := Document()
	if err != nil {
		t.Fatal(err)
	}
	got, err := os.ReadFile("../console/api.json")
	if err != nil {
		t.Fatal(err)
	}
	if strings.TrimSpace(string(got)) != strings.TrimSpace(string(want)) {
		t.Error("console/api.json is not what the routes say; run make types")
	}
}

// TestDocumentIsWhole checks that each route says what it answers, and that each path parameter is described.
func TestDocumentIsWhole(t *testing.T) {
	text, err := Document()
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(string(text), `"openapi": "3.1.0"`) {
		t.Error("the document is not OpenAPI 3.1.0")
	}
	for _, r := range routes(nil) {
		if r.id == "" || r.summary == "" || r.serve == nil || !strings.Contains(string(text), `"operationId": "`+r.id+`"`) {
			t.Errorf("%s %s is not in the document", r.method, r.path)
		}
	}
}

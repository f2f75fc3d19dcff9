package service

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/service/view"
)

// TestReadCrosswalk reads the columns wherever they stand, and leaves out what the crosswalk has.
func TestReadCrosswalk(t *testing.T) {
	c := &view.Crosswalk{Columns: [2][]string{{"call", "day"}, {"Call", "Day"}}, Entries: []view.Acceptance{
		{Kind: "keys", Holds: true, Left: []string{"A", "1"}, Right: []string{"B", "1"}},
		{Kind: "keys", Holds: false, Left: []string{"C", "1"}, Right: []string{"D", "1"}},
		{Kind: "records", Holds: true, Records: &[2][]view.Record{}}}}
	text := "note,right Day,left day,decision,left call,right Call\nx,1,1,same,A,B\nx,1,1,same,C,D\nx,1,1,not the same,A,B\nx,2,2,,E,\"F, G\"\nx,2,2,,E,\"F, G\"\n"
	same, other, err := readCrosswalk(strings.NewReader(text), c)
	if got := fmt.Sprint(same, other, err); got != "[{[C 1] [D 1] 0 } {[E 2] [F, G 2] 0 }] [{[A 1] [B 1] 0 }] <nil>" {
		t.Errorf("read %s", got)
	}
	for text, want := range map[string]string{"": "the file is empty", "left call\n": `line 1: there is no column "left day"`, "left call,left day,right Call,right Day\na,b\n": "line 2: there are 2 cells, and the key goes on to the column \"right Day\", which is the 4th",
		"left call,left day,right Call,right Day,decision\na,b,c,d,no\n": `line 2: the decision "no" is none; write same or not the same`} {
		if _, _, err := readCrosswalk(strings.NewReader(text), c); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", text, err, want)
		}
	}
}

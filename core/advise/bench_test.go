package advise_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"twinsieve/core/advise"
	"twinsieve/core/record/recordtest"
)

// BenchmarkAdvise advises on two sets of 200,000 records and seven columns.
func BenchmarkAdvise(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	columns := []string{"call", "day", "code", "vessel", "quay", "amount", "remark"}
	var rows [2][][]string
	for n := range 200_000 {
		row := []string{fmt.Sprintf("MW-%08d", n/3), fmt.Sprintf("2031-%02d-%02d", 1+n%12, 1+n%28), []string{"PIL", "TUG", "MOR"}[n%3], fmt.Sprint("Vessel ", r.IntN(5000)), fmt.Sprint("Quay ", n%9), fmt.Sprintf("%d.%02d", r.IntN(9000), r.IntN(100)), fmt.Sprint("entry ", r.IntN(1e6))}
		rows[0], rows[1] = append(rows[0], row), append(rows[1], row)
	}
	r.Shuffle(len(rows[1]), func(i, j int) { rows[1][i], rows[1][j] = rows[1][j], rows[1][i] })
	left, right := recordtest.Table(b, columns, rows[0]), recordtest.Table(b, columns, rows[1])
	b.ResetTimer()
	for b.Loop() {
		if _, err := advise.Of(context.Background(), left, right, advise.Options{}); err != nil {
			b.Fatal(err)
		}
	}
}

package match_test

import (
	"bytes"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/apache/arrow-go/v18/arrow"
	"github.com/apache/arrow-go/v18/arrow/array"
	"github.com/apache/arrow-go/v18/arrow/ipc"
	"github.com/apache/arrow-go/v18/arrow/memory"

	"twinsieve/core/match"
	"twinsieve/core/tray"
)

// parts are the sealed parts of an index, of so many records each.
func parts(t *testing.T, x *match.Index, records int) (parts [2][][]byte) {
	t.Helper()
	for _, s := range tray.Sides {
		for first := 0; first < len(x.Sides[s].Trays); first += records {
			part, err := x.Seal(s, first, min(first+records, len(x.Sides[s].Trays)))
			if err != nil {
				t.Fatal(err)
			}
			parts[s] = append(parts[s], part)
		}
	}
	return parts
}

func unsealed(parts [2][][]byte) (x *match.Index, err error) {
	x = &match.Index{}
	for _, s := range tray.Sides {
		for _, part := range parts[s] {
			if err := x.Sides[s].Unseal(part); err != nil {
				return nil, err
			}
		}
	}
	return x, x.Unsealed()
}

func sameSides(x, y *match.Index) bool {
	for s := range x.Sides {
		if !slices.Equal(x.Sides[s].Trays, y.Sides[s].Trays) || !slices.Equal(x.Sides[s].Partners, y.Sides[s].Partners) || !slices.Equal(x.Sides[s].Keys, y.Sides[s].Keys) {
			return false
		}
	}
	return true
}

// TestSeal seals the indexes of random cases in parts of any size, and reads them back.
func TestSeal(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 1))
	paired := 0
	for n := range 3000 {
		c := randomCase(r)
		_, x := c.match(t, 1+r.IntN(5), match.Options{})
		sealed := parts(t, x, 1+r.IntN(8))
		got, err := unsealed(sealed)
		if err != nil || !sameSides(got, x) {
			t.Fatalf("case %d: %+v, not %+v; %v", n, got.Sides, x.Sides, err)
		}
		paired += int(x.Totals.Pairs[tray.Matched] + x.Totals.Pairs[tray.Differing])
	}
	if paired < 1000 {
		t.Errorf("only %d pairs", paired)
	}
}

// TestSealFar seals partners as far apart as there are numbers, and keys in any order.
func TestSealFar(t *testing.T) {
	r := rand.New(rand.NewPCG(14, 2))
	numbers := []uint32{0, 1, 2, 1 << 7, 1 << 15, 1<<31 - 1, 1 << 31, 1<<31 + 1, match.None - 2, match.None}
	for range 500 {
		x := &match.Index{}
		for range 30 { // the right side has none, so that nothing is said of it
			x.Sides[0].Trays = append(x.Sides[0].Trays, tray.All[r.IntN(len(tray.All))])
			x.Sides[0].Partners = append(x.Sides[0].Partners, numbers[r.IntN(len(numbers))])
			x.Sides[0].Keys = append(x.Sides[0].Keys, numbers[r.IntN(len(numbers))])
		}
		got := &match.Index{}
		for _, part := range parts(t, x, 1+r.IntN(30))[0] {
			if err := got.Sides[0].Unseal(part); err != nil {
				t.Fatal(err)
			}
		}
		if !sameSides(got, x) {
			t.Fatalf("%+v, not %+v", got.Sides[0], x.Sides[0])
		}
	}
}

// TestSealSmall: what can be known from the other side, or from the record before, takes next to no room.
func TestSealSmall(t *testing.T) {
	const n = 100_000
	x := &match.Index{}
	for _, s := range tray.Sides {
		x.Sides[s].Reserve(n)
		for i := range uint32(n) {
			x.Sides[s].Trays, x.Sides[s].Partners, x.Sides[s].Keys = append(x.Sides[s].Trays, tray.Matched), append(x.Sides[s].Partners, i), append(x.Sides[s].Keys, i)
		}
	}
	bytes := func() int {
		sealed := parts(t, x, match.SealRecords)
		if got, err := unsealed(sealed); err != nil || !sameSides(got, x) {
			t.Fatal("it is not read as it was", err)
		}
		return len(sealed[0][0]) + len(sealed[1][0])
	}
	if got := bytes(); got > 20_000 {
		t.Errorf("in the same order on both sides: %d bytes", got)
	}
	for i, p := range rand.New(rand.NewPCG(14, 3)).Perm(n) {
		x.Sides[0].Partners[i], x.Sides[1].Partners[p], x.Sides[1].Keys[p] = uint32(p), uint32(i), uint32(i)
	}
	if got := bytes(); got > 320_000 {
		t.Errorf("shuffled: %d bytes, more than three for each pair", got)
	}
}

// TestSealDamaged: parts that are cut, that are none, and sides that do not belong together are refused.
func TestSealDamaged(t *testing.T) {
	x := &match.Index{}
	for s := range x.Sides {
		x.Sides[s] = match.Side{Trays: []tray.Tray{tray.Matched, tray.Matched, tray.Matched}, Partners: []uint32{2, 1, 0}, Keys: []uint32{0, 1, 2}}
	}
	x.Sides[1].Keys = []uint32{2, 1, 0}
	sealed := parts(t, x, 3)
	for s, blob := range [2][]byte{sealed[0][0], sealed[1][0]} {
		for _, cut := range [][]byte{nil, blob[:10], blob[:len(blob)-20]} {
			damaged := sealed
			damaged[s] = [][]byte{cut}
			if got, err := unsealed(damaged); err == nil {
				t.Errorf("%d bytes of side %d are read as %+v", len(cut), s, got.Sides)
			}
		}
	}
	none := *x
	none.Sides[0].Partners = []uint32{match.None, match.None, match.None}
	far := *x
	far.Sides[0].Partners = []uint32{2, 1, 3}
	for _, other := range []*match.Index{&none, &far} {
		if got, err := unsealed([2][][]byte{parts(t, other, 3)[0], sealed[1]}); err == nil {
			t.Errorf("sides of two indexes are read as %+v", got.Sides)
		}
	}
}

// TestSealOfBefore reads a part as they were sealed before, in which all is told.
func TestSealOfBefore(t *testing.T) {
	column := func(kind arrow.DataType, b []byte) arrow.ArrayData {
		return array.NewData(kind, 2, []*memory.Buffer{nil, memory.NewBufferBytes(b)}, nil, 0, 0)
	}
	schema := arrow.NewSchema([]arrow.Field{{Name: "tray", Type: arrow.PrimitiveTypes.Uint8}, {Name: "partner", Type: arrow.PrimitiveTypes.Uint32}, {Name: "key", Type: arrow.PrimitiveTypes.Uint32}}, nil)
	want := match.Side{Trays: []tray.Tray{tray.Missing, tray.Matched}, Partners: []uint32{match.None, 0}, Keys: []uint32{4, 1}}
	var out bytes.Buffer
	w := ipc.NewWriter(&out, ipc.WithSchema(schema), ipc.WithLZ4())
	err := w.Write(array.NewRecordBatch(schema, []arrow.Array{array.NewUint8Data(column(arrow.PrimitiveTypes.Uint8, []byte{byte(tray.Missing), byte(tray.Matched)})),
		array.NewUint32Data(column(arrow.PrimitiveTypes.Uint32, arrow.Uint32Traits.CastToBytes(want.Partners))),
		array.NewUint32Data(column(arrow.PrimitiveTypes.Uint32, arrow.Uint32Traits.CastToBytes(want.Keys)))}, 2))
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	x := match.Index{Sides: [2]match.Side{{}, {Trays: []tray.Tray{tray.Matched}, Partners: []uint32{1}, Keys: []uint32{1}}}}
	if err := x.Sides[0].Unseal(out.Bytes()); err != nil || x.Unsealed() != nil || !sameSides(&x, &match.Index{Sides: [2]match.Side{want, x.Sides[1]}}) {
		t.Errorf("%+v, not %+v; %v", x.Sides[0], want, err)
	}
}

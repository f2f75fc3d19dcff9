package exact_test

import (
	"bytes"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/exact"
)

// TestAppendOrdered sorts numbers by their bytes, and holds the order against that of the numbers.
func TestAppendOrdered(t *testing.T) {
	list := []string{"0", "-0.5", "0.5", "0.05", "0.50001", "9", "10", "-9", "-10", "99999999999999999999", "100000000000000000000", "-99999999999999999999", "1.1", "1.10001", "-1.1", "-1.10001"}
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		text := strings.TrimLeft(string([]byte{byte('0' + r.IntN(10)), byte('0' + r.IntN(10)), byte('0' + r.IntN(10))}), "0") + "." + string([]byte{byte('0' + r.IntN(10)), byte('1' + r.IntN(9))})
		if text[0] == '.' {
			text = "0" + text
		}
		list = append(list, text, "-"+text)
	}
	type number struct {
		text string
		key  []byte
	}
	var numbers []number
	for _, text := range list {
		numbers = append(numbers, number{text, exact.AppendOrdered(nil, []byte(text))})
	}
	slices.SortFunc(numbers, func(a, b number) int { return bytes.Compare(a.key, b.key) })
	for i := 1; i < len(numbers); i++ {
		a, b := exact.Decimal([]byte(numbers[i-1].text)), exact.Decimal([]byte(numbers[i].text))
		if a.Cmp(b) > 0 || (a.Cmp(b) == 0) != bytes.Equal(numbers[i-1].key, numbers[i].key) {
			t.Errorf("%s comes before %s", numbers[i-1].text, numbers[i].text)
		}
	}
}

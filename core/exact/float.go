package exact

import (
	"math"
	"strconv"
)

// AppendFloat appends the shortest text that is read back as the same floating-point number of 32 or 64 bits, without an
// exponent unless the number is below 1e-10 or from 1e21 on.
func AppendFloat(dst []byte, v float64, bits int) []byte {
	if magnitude := math.Abs(v); magnitude != 0 && (magnitude < 1e-10 || magnitude >= 1e21) {
		return strconv.AppendFloat(dst, v, 'g', -1, bits)
	}
	return strconv.AppendFloat(dst, v, 'f', -1, bits)
}

package exact

import "encoding/binary"

// AppendOrdered appends a number in plain form so that the bytes are ordered as numbers are, whatever comes behind them: its sign, how many digits it has
// before the point, and its digits.
func AppendOrdered(dst, plain []byte) []byte {
	negative := plain[0] == '-'
	if negative {
		plain = plain[1:]
	}
	digits := make([]byte, 0, len(plain))
	point := len(plain)
	for i, c := range plain {
		if c == '.' {
			point = i
			continue
		}
		digits = append(digits, c)
	}
	for len(digits) > 0 && digits[0] == '0' {
		digits = digits[1:]
		point--
	}
	for len(digits) > 0 && digits[len(digits)-1] == '0' {
		digits = digits[:len(digits)-1]
	}
	if len(digits) == 0 {
		return append(dst, 0x80)
	}
	start := len(dst) + 1
	dst = append(dst, 0x81)
	dst = binary.BigEndian.AppendUint32(dst, uint32(point+1<<20))
	dst = append(append(dst, digits...), 0)
	if negative {
		dst[start-1] = 0x7F
		for i := range dst[start:] {
			dst[start+i] = ^dst[start+i]
		}
	}
	return dst
}

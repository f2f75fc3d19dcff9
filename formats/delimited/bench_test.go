package delimited

import (
	"bytes"
	"fmt"
	"io"
	"testing"
)

// lines is a text of so many records of seven columns.
func manyRecords(records int) []byte {
	var text bytes.Buffer
	text.WriteString("call,day,code,vessel,quay,amount,remark\n")
	for n := range records {
		fmt.Fprintf(&text, "MW-%08d,2031-%02d-%02d,PIL,Vessel %d,Quay %d,%d.%02d,entry %d by hand\n", n/3, 1+n%12, 1+n%28, n*7919%5000, n%9, n*31%5000, n%100, n*104729%1_000_000)
	}
	return text.Bytes()
}

func BenchmarkReader(b *testing.B) {
	text := manyRecords(100_000)
	b.SetBytes(int64(len(text)))
	b.ReportAllocs()
	for b.Loop() {
		r, err := NewReader(bytes.NewReader(text), Options{})
		if err != nil {
			b.Fatal(err)
		}
		for err == nil {
			_, err = r.Next()
		}
		if err != io.EOF {
			b.Fatal(err)
		}
	}
}

func BenchmarkScan(b *testing.B) {
	text := manyRecords(800)
	ends := make([]int32, 800*7+step)
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		scan(text, ',', true, 7, 800, ends)
	}
}

module twinsieve

go 1.26.0

require (
	github.com/apache/arrow-go/v18 v18.8.0
	github.com/cespare/xxhash/v2 v2.3.0
	github.com/goccy/go-yaml v1.17.1
	github.com/jedib0t/go-pretty/v6 v6.8.3
	github.com/schollz/progressbar/v3 v3.19.1
	github.com/shopspring/decimal v1.6.0
	github.com/spf13/cobra v1.10.2
	golang.org/x/sync v0.25.0
	golang.org/x/term v0.45.0
	golang.org/x/text v0.44.0
)

require (
	github.com/clipperhouse/uax29/v2 v2.7.0 // indirect
	github.com/goccy/go-json v0.10.6 // indirect
	github.com/google/flatbuffers v25.12.19+incompatible // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/klauspost/compress v1.19.2 // indirect
	github.com/klauspost/cpuid/v2 v2.4.0 // indirect
	github.com/mattn/go-runewidth v0.0.20 // indirect
	github.com/mitchellh/colorstring v0.0.0-20190213212951-d06e56a500db // indirect
	github.com/pierrec/lz4/v4 v4.1.29 // indirect
	github.com/rivo/uniseg v0.4.7 // indirect
	github.com/spf13/pflag v1.0.9 // indirect
	github.com/zeebo/xxh3 v1.1.0 // indirect
	golang.org/x/exp v0.0.0-20260112195511-716be5621a96 // indirect
	golang.org/x/sys v0.50.0 // indirect
)

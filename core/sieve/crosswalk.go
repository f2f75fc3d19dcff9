package sieve

import "twinsieve/core/record"

// Crosswalk is what people have accepted as the same, though it is written differently. The zero value is an empty one.
type Crosswalk struct {
	Version int          // 0: there has been none
	Keys    []KeysEqual  // keys that are one class
	Hand    []PairedHand // records that were paired by hand
}

// KeysEqual says that a left key and a right key are the same. Keys are texts as they came, one for each part of the key; the
// sieve reads them each time, so that they go on to hold when its readings change.
type KeysEqual struct {
	Left, Right []string
}

// PairedHand says that records belong together, whatever their keys. They are recognised by their content.
type PairedHand struct {
	ID      uint // of the acceptance
	Columns [2][]string
	Records [2][][]record.Cell
}

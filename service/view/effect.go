package view

// ReadingPlace names one reading of a definition.
type ReadingPlace struct {
	Of      string `json:"of" required:"true" enum:"key,compare"`
	Part    int    `json:"part" required:"true" description:"Which part of the key, or which compared field, counted from 0."`
	Reading int    `json:"reading" required:"true" description:"Which of its readings, counted from 0; -1 for all of them together."`
}

// ReadingEffect is what a reading does, held against the same definition without it.
type ReadingEffect struct {
	Sides [2]SideEffect   `json:"sides" description:"Left and right."`
	Pairs [2]PairedCounts `json:"pairs" description:"Without it, and with it."`
}

// SideEffect is what a reading does to the values of a column.
type SideEffect struct {
	Column     string       `json:"column"`
	Values     int64        `json:"values" description:"Cells that are not blank."`
	Changed    int64        `json:"changed" description:"Of these, read as another text."`
	Emptied    int64        `json:"emptied" description:"Left without a text."`
	Unreadable int64        `json:"unreadable" description:"Not read any more."`
	Distinct   [2]int64     `json:"distinct" description:"Different texts, before and after."`
	Collided   int64        `json:"collided" description:"Texts that stand for more than one text from before."`
	Samples    []ReadSample `json:"samples" nullable:"false" description:"The first values that are changed."`
	Collisions []Collision  `json:"collisions" nullable:"false" description:"Values that were different and become one; those of most texts first."`
}

// ReadSample is a value before and after a reading.
type ReadSample struct {
	Cell    string    `json:"cell" description:"As it came."`
	Before  ReadValue `json:"before"`
	After   ReadValue `json:"after"`
	Records int64     `json:"records"`
}

// ReadValue is a value as read.
type ReadValue struct {
	State string `json:"state" enum:"text,blank,emptied,unreadable"`
	Text  string `json:"text"`
}

// Collision is a text that stands for texts that were different.
type Collision struct {
	After  string   `json:"after"`
	Before []string `json:"before" nullable:"false" description:"The first few."`
	Texts  int64    `json:"texts"`
}

// PairedCounts is what pairs.
type PairedCounts struct {
	Keys    int64    `json:"keys" description:"Different keys on both sides."`
	Rows    int64    `json:"rows" description:"Rows of the inner comparison."`
	Records [2]int64 `json:"records" description:"Records with a partner."`
	Matched int64    `json:"matched"`
}

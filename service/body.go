package service

import (
	"encoding/json"
	"math"

	"github.com/fxamacker/cbor/v2"

	"twinsieve/service/view"
)

// What people see of an exception is kept as CBOR (RFC 8949), under the names that it has as JSON. A run writes it for each exception, and the next run
// reads it of all of them again, which takes a third of the time that JSON takes. A text that is no UTF-8 stays what it is.
var (
	bodyWriter = must(cbor.EncOptions{Time: cbor.TimeRFC3339Nano, TextMarshaler: cbor.TextMarshalerTextString}.EncMode())
	bodyReader = must(cbor.DecOptions{UTF8: cbor.UTF8DecodeInvalid, MaxArrayElements: math.MaxInt32, TextUnmarshaler: cbor.TextUnmarshalerTextString}.DecMode())
)

// must is for what cannot fail with the options that it is given.
func must[T any](one T, err error) T {
	if err != nil {
		panic(err)
	}
	return one
}

// writeBody is what the store keeps of what people see of an exception.
func writeBody(e *view.Entry) (string, error) {
	body, err := bodyWriter.Marshal(e)
	return string(body), err
}

// readBody reads what [writeBody] has written, or what was kept before, as JSON.
func readBody(body string, e *view.Entry) error {
	if body != "" && body[0] == '{' { // no map begins so in CBOR
		return json.Unmarshal([]byte(body), e)
	}
	return bodyReader.Unmarshal([]byte(body), e)
}

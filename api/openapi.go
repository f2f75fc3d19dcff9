package api

import (
	"encoding/json"
	"reflect"
	"regexp"
	"slices"
	"strings"

	"github.com/swaggest/jsonschema-go"
	"github.com/swaggest/openapi-go"
	"github.com/swaggest/openapi-go/openapi31"

	"twinsieve/service/view"
)

var pathParameter = regexp.MustCompile(`:(\w+)`)

// Document returns the OpenAPI 3.1 document of the interface, made from the routes and types that serve it.
func Document() ([]byte, error) { return document(routes(nil)) }

func document(list []route) ([]byte, error) {
	r := openapi31.NewReflector()
	r.Spec.Info.WithTitle("Twin Sieve").WithVersion("1").
		WithDescription("Compares two record sets and gives every record of both a place. Errors are problem details by RFC 9457.")
	r.JSONSchemaReflector().DefaultOptions = append(r.JSONSchemaReflector().DefaultOptions,
		jsonschema.InterceptNullability(noNullLists), jsonschema.InterceptSchema(fixedLength), jsonschema.InterceptProp(requireAlways), jsonschema.InterceptProp(listOfItems), jsonschema.InterceptDefName(shortName))
	for _, route := range list {
		op, err := r.NewOperationContext(route.method, Prefix+pathParameter.ReplaceAllString(route.path, "{$1}"))
		if err != nil {
			return nil, err
		}
		op.SetID(route.id)
		op.SetSummary(route.summary)
		if exposed, ok := op.(openapi31.OperationExposer); ok {
			exposed.Operation().WithMapOfAnythingItem("x-role", route.who)
		}
		op.AddReqStructure(route.input)
		if route.consumes != "" {
			op.AddReqStructure("", openapi.WithContentType(route.consumes))
		}
		op.AddRespStructure(route.output, func(u *openapi.ContentUnit) {
			u.HTTPStatus = route.status
			u.ContentType = route.produces
		})
		op.AddRespStructure(view.Problem{}, func(u *openapi.ContentUnit) {
			u.IsDefault = true
			u.ContentType = "application/problem+json"
			u.Description = "What was wrong, where, and how to mend it."
		})
		if err := r.AddOperation(op); err != nil {
			return nil, err
		}
	}
	text, err := r.Spec.MarshalJSON()
	if err != nil {
		return nil, err
	}
	var tidy any
	if err := json.Unmarshal(text, &tidy); err != nil {
		return nil, err
	}
	return json.MarshalIndent(tidy, "", "  ")
}

// noNullLists says that a list is never null: where there is nothing, it is empty.
func noNullLists(p jsonschema.InterceptNullabilityParams) {
	if p.NullAdded && (p.Type.Kind() == reflect.Slice || p.Type.Kind() == reflect.Array) {
		p.Schema.RemoveType(jsonschema.Null)
	}
}

// fixedLength says how long a list of fixed length is, such as the one of left and right.
func fixedLength(p jsonschema.InterceptSchemaParams) (stop bool, err error) {
	if t := p.Value.Type(); p.Processed && t.Kind() == reflect.Array {
		p.Schema.WithMinItems(int64(t.Len())).WithMaxItems(int64(t.Len()))
	}
	return false, nil
}

// requireAlways says of every field that is always written that it is always there.
func requireAlways(p jsonschema.InterceptPropParams) error {
	name, options, _ := strings.Cut(p.Field.Tag.Get("json"), ",")
	if p.Processed && name != "" && name != "-" && !strings.Contains(options, "omitempty") && !strings.Contains(options, "omitzero") && !slices.Contains(p.ParentSchema.Required, name) {
		p.ParentSchema.Required = append(p.ParentSchema.Required, name)
	}
	return nil
}

// listOfItems says of the items of a list, rather than of the list, which values they may have.
func listOfItems(p jsonschema.InterceptPropParams) error {
	if s := p.PropertySchema; p.Processed && p.Field.Type.Kind() == reflect.Slice && len(s.Enum) > 0 && s.Items != nil {
		s.Items.SchemaOrBool.TypeObject.Enum, s.Enum = s.Enum, nil
	}
	return nil
}

// shortName names the schemas of what people speak of by its type alone, without the package.
func shortName(t reflect.Type, name string) string {
	for _, prefix := range []string{"View", "Sieve", "Api", "Summary"} {
		if rest := strings.TrimPrefix(name, prefix); rest == t.Name() && prefix != "Summary" || rest == prefix {
			return rest
		}
	}
	return name
}

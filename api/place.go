package api

import (
	"cmp"
	"fmt"
	"net/url"
	"reflect"
	"regexp"
	"strings"
	"time"
)

// Place is where an operation is asked for: its method, and its path with the query.
type Place struct{ Method, Path string }

// At gives the place of an operation, with the parts of its path in their order: texts, numbers, or a []string for
// several. As many must be given as it has.
func (op *Operation) At(parts ...any) Place {
	var given []string
	for _, part := range parts {
		if several, ok := part.([]string); ok {
			given = append(given, several...)
		} else {
			given = append(given, fmt.Sprint(part))
		}
	}
	n := 0
	path := pathPart.ReplaceAllStringFunc(op.Path, func(string) string {
		if n++; n > len(given) {
			return ""
		}
		return url.PathEscape(given[n-1])
	})
	if n != len(given) {
		panic(fmt.Sprintf("%s has %d parts, and %d are given", op.Path, n, len(given)))
	}
	return Place{op.Method, Root + path}
}

// Place is where the operation is asked for, with the names of its parts in braces.
func (op *Operation) Place() Place { return Place{op.Method, Root + op.Path} }

// Find gives the operation that is asked for at a path, from Root on; nil: there is none.
func Find(method, path string) (found *Operation) {
	parts := strings.Split(strings.TrimPrefix(path, Root), "/")
	most := -1
	for _, op := range all {
		own := strings.Split(op.Path, "/")
		if op.Method != method || len(own) != len(parts) {
			continue
		}
		same := 0
		for i, part := range own {
			if named := strings.HasPrefix(part, "{"); part == parts[i] {
				same++
			} else if !named {
				same = -1
				break
			}
		}
		if same > most {
			found, most = op, same
		}
	}
	return found
}

var pathPart = regexp.MustCompile(`\{\w+\}`)

// Raw gives the place with a query as it is written.
func (p Place) Raw(query string) Place {
	p.Path += "?" + query
	return p
}

// Asking gives the place with a query: names and values in turn.
func (p Place) Asking(query ...any) Place {
	values := url.Values{}
	for i := 0; i+1 < len(query); i += 2 {
		values.Add(fmt.Sprint(query[i]), fmt.Sprint(query[i+1]))
	}
	return p.Raw(values.Encode())
}

// And gives the place with more of a query.
func (p Place) And(query ...any) Place {
	path, asked, _ := strings.Cut(p.Path, "?")
	more := Place{}.Asking(query...)
	return Place{p.Method, path}.Raw(asked + "&" + strings.TrimPrefix(more.Path, "?"))
}

// PlaceOf gives the place of an operation that is asked with an input: its fields tagged path and query. What is
// nothing is left out of the query.
func (op Op[In, Out]) PlaceOf(in In) Place {
	value := reflect.ValueOf(in)
	parts, query := map[string]string{}, url.Values{}
	for _, f := range reflect.VisibleFields(value.Type()) {
		field := value.FieldByIndex(f.Index)
		if name, ok := f.Tag.Lookup("path"); ok {
			parts[name] = written(field)
		}
		if name, ok := f.Tag.Lookup("query"); ok && !field.IsZero() {
			name, how, _ := strings.Cut(name, ",")
			query[name] = asked(field, how == "explode")
		}
	}
	path := pathPart.ReplaceAllStringFunc(op.Path, func(part string) string {
		return url.PathEscape(parts[strings.Trim(part, "{}")])
	})
	place := Place{op.Method, Root + path}
	if len(query) > 0 {
		place = place.Raw(query.Encode())
	}
	return place
}

// asked writes a field of a query: lists as several, or with commas between.
func asked(field reflect.Value, several bool) (all []string) {
	if field.Kind() != reflect.Slice {
		return []string{written(field)}
	}
	for i := range field.Len() {
		all = append(all, written(field.Index(i)))
	}
	if several {
		return all
	}
	return []string{strings.Join(all, ",")}
}

func written(field reflect.Value) string {
	if at, ok := field.Interface().(time.Time); ok {
		return at.UTC().Format(time.RFC3339Nano)
	}
	return fmt.Sprint(field.Interface())
}

// BodyOf gives the body that is asked with, nil for none.
func (op Op[In, Out]) BodyOf(in In) any {
	body := reflect.ValueOf(in).FieldByName("Body")
	if !body.IsValid() || body.Kind() == reflect.Pointer && body.IsNil() {
		return nil
	}
	return body.Interface()
}

// String is the method and the path.
func (p Place) String() string { return cmp.Or(p.Method, "GET") + " " + p.Path }

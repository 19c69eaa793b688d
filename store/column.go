package store

import (
	"database/sql"
	"database/sql/driver"
	"encoding"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"github.com/jmoiron/sqlx"
	"github.com/jmoiron/sqlx/reflectx"
)

// How a value is kept in a column is decided by its type alone: a struct, slice or map that is declared in this project
// is kept as the text of its MarshalText, else as the bytes of its MarshalBinary, else as JSON; without anything in it,
// a slice or map is [] or {}. All other types are kept as the driver keeps them.

// composed tells whether a type is one that the driver has no column for.
func composed(t reflect.Type) bool {
	switch t.Kind() {
	case reflect.Struct, reflect.Slice, reflect.Map:
		return strings.HasPrefix(t.PkgPath(), "jauntylark/")
	}
	return false
}

// columns are arguments as they are kept.
func columns(args []any) ([]any, error) {
	for i, arg := range args {
		v := reflect.ValueOf(arg)
		if v.Kind() == reflect.Pointer && !v.IsNil() {
			v = v.Elem()
		}
		if !v.IsValid() || !composed(v.Type()) {
			continue
		}
		kept, err := column(v)
		if err != nil {
			return nil, err
		}
		args[i] = kept
	}
	return args, nil
}

func column(v reflect.Value) (driver.Value, error) {
	switch noun := v.Interface().(type) {
	case driver.Valuer:
		return noun, nil
	case encoding.TextMarshaler:
		text, err := noun.MarshalText()
		return string(text), err
	case encoding.BinaryMarshaler:
		return noun.MarshalBinary()
	}
	switch {
	case v.Kind() == reflect.Slice && v.IsNil():
		return "[]", nil
	case v.Kind() == reflect.Map && v.IsNil():
		return "{}", nil
	}
	text, err := json.Marshal(v.Interface())
	return string(text), err
}

// target is where the driver puts a column: the field itself, or what makes a value of its text.
func target(field reflect.Value) any {
	into := field.Addr().Interface()
	of := field.Type()
	if of.Kind() == reflect.Pointer {
		of = of.Elem()
	}
	if _, scans := into.(sql.Scanner); scans || !composed(of) {
		return into
	}
	return (*composing)(&field)
}

// composing makes a value of the text, bytes or JSON of its column.
type composing reflect.Value

// Scan takes a column in; null is nothing.
func (c *composing) Scan(column any) error {
	field := reflect.Value(*c)
	field.SetZero()
	var text []byte
	switch column := column.(type) {
	case nil:
		return nil
	case []byte:
		text = column
	case string:
		text = []byte(column)
	default:
		return fmt.Errorf("%T is no %s", column, field.Type())
	}
	if field.Kind() == reflect.Pointer {
		field.Set(reflect.New(field.Type().Elem()))
		field = field.Elem()
	}
	switch noun := field.Addr().Interface().(type) {
	case encoding.TextUnmarshaler:
		return noun.UnmarshalText(text)
	case encoding.BinaryUnmarshaler:
		return noun.UnmarshalBinary(text)
	default:
		return json.Unmarshal(text, noun)
	}
}

// scanAll scans all rows into the slice that into points to, most rows at most.
func scanAll(rows *sqlx.Rows, into reflect.Value, most int) error {
	defer rows.Close()
	names, err := rows.Columns()
	if err != nil {
		return err
	}
	slice := into.Elem()
	of := slice.Type().Elem()
	var fields [][]int // of a row's struct, by column; nil: the row is one value
	if of.Kind() == reflect.Struct {
		fields = rows.Mapper.TraversalsByName(of, names)
		if len(names) == 1 && len(fields[0]) == 0 {
			fields = nil
		}
	}
	if fields == nil && len(names) != 1 {
		return fmt.Errorf("%d columns are no %s", len(names), of)
	}
	targets := make([]any, len(names))
	for n := 0; n < most && rows.Next(); n++ {
		row := reflect.New(of).Elem()
		if fields == nil {
			targets[0] = target(row)
		}
		for i, path := range fields {
			if len(path) == 0 {
				return fmt.Errorf("%s has no place for column %q", of, names[i])
			}
			targets[i] = target(reflectx.FieldByIndexes(row, path))
		}
		if err := rows.Scan(targets...); err != nil {
			return err
		}
		slice.Set(reflect.Append(slice, row))
	}
	return rows.Err()
}

// scanOne scans the only row into what into points to; sql.ErrNoRows where there is none.
func scanOne(rows *sqlx.Rows, into any) error {
	value := reflect.ValueOf(into)
	found := reflect.New(reflect.SliceOf(value.Type().Elem()))
	if err := scanAll(rows, found, 1); err != nil {
		return err
	}
	if found.Elem().Len() == 0 {
		return sql.ErrNoRows
	}
	value.Elem().Set(found.Elem().Index(0))
	return nil
}

package web

import (
	"bytes"
	"encoding/json"
	"io"
	"maps"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/measure"
)

// takeAway has null take a part away where a thing is changed in parts alone (RFC 7396): the operation is told what the
// part is without anything. What is no such change is left to the operation, which says what is wrong with it.
func takeAway(v *Server, op *api.Operation) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			r := c.Request()
			if _, err := v.whoMay(r.Context(), tokenOf(r), op.Role); err != nil { // which the operation says
				return next(c)
			}
			body, err := io.ReadAll(http.MaxBytesReader(c.Response(), r.Body, op.Most))
			if err != nil {
				return sendProblem(c, api.FaultOf(http.StatusRequestEntityTooLarge).Problem("The body is longer than is read."))
			}
			var said map[string]json.RawMessage
			// Without a null, or where it is no body at all, the operation reads it as it came.
			if measure.CheckJSON(body, mayHaveLines) == nil && json.Unmarshal(body, &said) == nil && hasNull(said) {
				if wrong := withoutNulls(said, op.Body()); wrong != "" {
					return sendProblem(c, api.FaultOf(http.StatusUnprocessableEntity).Problem(wrong+" cannot be taken away.",
						api.WrongPart{Location: "body." + wrong, Message: "cannot be taken away; say what it is to be"}))
				}
				if body, err = json.Marshal(said); err != nil {
					return err
				}
			}
			r.Body, r.ContentLength = io.NopCloser(bytes.NewReader(body)), int64(len(body))
			return next(c)
		}
	}
}

func hasNull(said map[string]json.RawMessage) bool {
	for _, part := range said {
		if string(part) == "null" {
			return true
		}
	}
	return false
}

// withoutNulls writes what takes a part away as its type says it, or names one that cannot be taken away.
func withoutNulls(said map[string]json.RawMessage, of reflect.Type) (wrong string) {
	for _, part := range slices.Sorted(maps.Keys(said)) {
		if string(said[part]) != "null" {
			continue
		}
		field, known := fieldOf(of, part)
		if !known {
			continue // which the operation refuses
		}
		switch taken := field.Tag.Get("taken"); {
		case taken == "never":
			return part
		case taken == "":
			empty, err := json.Marshal(reflect.Zero(field.Type.Elem()).Interface())
			if err != nil {
				return part
			}
			if field.Type.Elem().Kind() == reflect.Slice {
				empty = []byte("[]")
			}
			said[part] = empty
		case json.Valid([]byte(taken)):
			said[part] = json.RawMessage(taken)
		default: // another part says so
			delete(said, part)
			said[taken] = json.RawMessage("true")
		}
	}
	return ""
}

// fieldOf gives the field that a part of a body is read into, where it is one that may be left out.
func fieldOf(of reflect.Type, part string) (reflect.StructField, bool) {
	for _, field := range reflect.VisibleFields(of) {
		name, _, _ := strings.Cut(field.Tag.Get("json"), ",")
		if name == part && field.Type.Kind() == reflect.Pointer {
			return field, true
		}
	}
	return reflect.StructField{}, false
}

package api_test

import (
	"reflect"
	"slices"
	"strings"
	"testing"

	"jauntylark/api"
	"jauntylark/core/roster"
)

// Every place that lists the carriers lists them all.
func TestCarriersAreListedWhole(t *testing.T) {
	for _, of := range []struct {
		in    any
		field string
	}{{roster.Address{}, "Carrier"}, {api.ListNoticesIn{}, "Carrier"}} {
		f, there := reflect.TypeOf(of.in).FieldByName(of.field)
		if !there {
			t.Fatalf("%T has no %s", of.in, of.field)
		}
		if got := strings.Split(f.Tag.Get("enum"), ","); !slices.Equal(got, roster.Carriers) {
			t.Errorf("%T.%s takes %v; the carriers are %v (core/roster/carrier.go)", of.in, of.field, got,
				roster.Carriers)
		}
	}
}

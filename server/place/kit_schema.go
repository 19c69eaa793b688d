package place

import (
	"encoding/json"
	"reflect"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/site"
)

// KitSchema gives the JSON Schema (draft 2020-12) of a kit's file.
func KitSchema() ([]byte, error) {
	const prefix = "#/$defs/"
	registry := huma.NewMapRegistry(prefix, huma.DefaultSchemaNamer)
	api.TellLengths(registry)
	registry.RegisterTypeAlias(reflect.TypeFor[alarm.Test](), reflect.TypeFor[string]())
	registry.Schema(reflect.TypeFor[site.Kit](), true, "Kit")
	api.WriteLengths(registry)
	document := map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Jaunty Lark kit",
		"description": "One sort of device: what it sends, how often, and how it is guarded at first.",
		"$ref":        prefix + "Kit", "$defs": registry.Map(),
	}
	text, err := json.MarshalIndent(document, "", "  ")
	return append(text, '\n'), err
}

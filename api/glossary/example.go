package glossary

import (
	"maps"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// examples are texts that a part of a name may have, where its schema has no example.
var examples = map[string]string{
	"advice": "Open the vent.", "as": "a", "asset": "fog-pump", "behind": "shed-gateway", "board": "home", "by": "text", "code": "return 21.5", "comment": "The vent was shut.",
	"confirm": "store", "contact": "orla", "device": "pond", "email": "robot@hollowbrook.example", "endpoint": "https://push.example/send/4711",
	"formula": "a - b", "guard": "fern-house-hot", "hours": "mon-fri 08:00-18:00", "how": "refuse", "interlock": "shed-extractor", "kit": "pond-probe",
	"name": "pond", "note": "Checked with the reference.", "output": "shed/fan", "password": "a long enough secret", "path": "/api/v1/guards/old",
	"roster": "house", "set": "on", "signal": "pond/oxygen", "text": "The vent is open.", "title": "Pond", "to": "orla@hollowbrook.example",
	"unit": "Cel", "url": "https://tickets.example/hook", "what": "store", "when": "above 30", "who": "orla", "why": "The sensor is being cleaned.",
	"zone": "Europe/Berlin",
}

// deepest is how far an example goes down: what lies deeper is left out where it may be.
const deepest = 4

// Example makes an example of what a schema describes: what must be said, and what has an example of its own.
func Example(schemas map[string]*huma.Schema, of *huma.Schema) any {
	return example(schemas, of, "", 0)
}

func example(schemas map[string]*huma.Schema, of *huma.Schema, part string, depth int) any {
	switch {
	case of.Ref != "":
		return example(schemas, schemas[of.Ref[strings.LastIndex(of.Ref, "/")+1:]], part, depth)
	case len(of.Examples) > 0:
		return of.Examples[0]
	case of.Default != nil:
		return of.Default
	case len(of.AnyOf) > 0:
		return example(schemas, of.AnyOf[0], part, depth)
	}
	for _, word := range of.Enum {
		if word != "" {
			return word
		}
	}
	switch of.Type {
	case huma.TypeString:
		return text(of, part)
	case huma.TypeBoolean:
		return true
	case huma.TypeNumber, huma.TypeInteger:
		if of.Minimum != nil && *of.Minimum > 1 {
			return *of.Minimum
		}
		return 1
	case huma.TypeArray:
		if depth >= deepest && of.MinItems == nil {
			return []any{}
		}
		return []any{example(schemas, of.Items, strings.TrimSuffix(part, "s"), depth+1)}
	case huma.TypeObject:
		return object(schemas, of, depth)
	}
	return map[string]any{}
}

func text(of *huma.Schema, part string) string {
	switch {
	case of.Format == "date-time":
		return "2026-03-01T14:05:00Z"
	case examples[part] != "":
		return examples[part]
	}
	return "store"
}

func object(schemas map[string]*huma.Schema, of *huma.Schema, depth int) map[string]any {
	made := map[string]any{}
	for _, part := range slices.Sorted(maps.Keys(of.Properties)) {
		is := of.Properties[part]
		if is.ReadOnly {
			continue
		}
		if slices.Contains(of.Required, part) || len(is.Examples) > 0 {
			made[part] = example(schemas, is, part, depth+1)
		}
	}
	if len(made) > 0 || depth > 0 {
		return made
	}
	for _, part := range slices.Sorted(maps.Keys(of.Properties)) { // one that may say anything says something
		if is := of.Properties[part]; !is.ReadOnly {
			made[part] = example(schemas, is, part, depth+1)
			break
		}
	}
	return made
}

// Package glossary says what the parts of the API's schemas mean whose types do not say it themselves, in one place for
// all that have a part of one name, and which part of the work each operation belongs to. The API's description is
// written by it.
package glossary

import "strings"

// Of says what a part of a schema means; empty: its name is not known here. Schemas of bodies are called like those of
// answers, with Input or Patch behind.
func Of(schema, part string) string {
	schema = strings.TrimSuffix(strings.TrimSuffix(schema, "Patch"), "Input")
	if own, has := ofOne[schema+"."+part]; has {
		return own
	}
	return ofAll[part]
}

// Tag is a part of the work, and the first words of the paths of the operations that belong to it.
type Tag struct {
	Name, About string
	roots       string
}

// Tags are the parts of the work, in the order in which a newcomer meets them.
var Tags = []Tag{
	{"devices", "Boxes that send, their keys, kits and settings; what knocks and waits to be let in.",
		"devices arrivals kits enrolment"},
	{"signals", "What devices measure or the service computes: units, recipes, calibrations, charts.",
		"signals units recipe-kinds sparks lines tails compare"},
	{"readings", "Readings of many signals: sent, streamed, exported, imported, cleared; what is kept.",
		"intake readings export imports clearings storage"},
	{"guards", "What is looked for, tried on the past, and trials that find a limit.", "guards replays trials"},
	{"alarms", "What is wrong, what was, and what people did about it.", "alarms alarm-health journal"},
	{"telling", "Who is told, how and when: contacts, rosters, notices, drills.",
		"contacts rosters roster-plans notices carriers placeholders previews drills push-key"},
	{"outputs", "What devices are ordered to do, by hand and by interlocks.", "outputs interlocks interlock-trials emergency"},
	{"boards", "Pages of tiles, their pictures, and thermal frames.", "boards pictures palettes"},
	{"assets", "What is guarded, in its tree; its runs and their plans.", "assets labels.pdf runs run-plans run-comparison"},
	{"totals", "Sums over time, tariffs, and statements that tell them.", "totals tariffs statements"},
	{"site", "The site, its archive, and what was removed.", "site archive removed"},
	{"people", "Who can sign in, and as what.", "people session tokens"},
	{"programs", "Keeping up with what changes, and doing many things at once.", "changes live readers batch"},
	{"stand-ins", "Gateways and receivers that the demo and tests ship with: they are there to try things, and no part of a service.",
		"standin"},
}

// TagOf gives the name of the tag of an operation by its path behind the root, like /devices/{device}; empty: it has none.
func TagOf(path string) string {
	root, _, _ := strings.Cut(strings.TrimPrefix(path, "/"), "/")
	for _, tag := range Tags {
		for _, own := range strings.Fields(tag.roots) {
			if own == root {
				return tag.Name
			}
		}
	}
	return ""
}

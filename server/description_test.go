package server_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/api/glossary"
	"jauntylark/server"
)

// The description says what each part means, which part of the work an operation belongs to, and what a body looks like:
// its examples are as its schemas say, and no schema is without use.
func TestTheDescriptionSaysAll(t *testing.T) {
	doc, err := server.DescribeAPI()
	if err != nil {
		t.Fatal(err)
	}
	schemas := doc.Components.Schemas
	for name, of := range schemas.Map() {
		for part, is := range of.Properties {
			if strings.TrimSpace(is.Description) == "" {
				t.Errorf("%s.%s is not described", name, part)
			}
			if is.Type == huma.TypeArray && strings.HasPrefix(is.Description, "how many") {
				t.Errorf("%s.%s is a list and no number: %s", name, part, is.Description)
			}
		}
	}
	var tags []string
	for _, tag := range doc.Tags {
		tags = append(tags, tag.Name)
	}
	bodies, used := 0, map[string]bool{}
	for path, of := range doc.Paths {
		for _, op := range []*huma.Operation{of.Get, of.Put, of.Post, of.Patch, of.Delete} {
			if op == nil {
				continue
			}
			if len(op.Tags) != 1 || !slices.Contains(tags, op.Tags[0]) {
				t.Errorf("%s %s belongs to %v", op.Method, path, op.Tags)
			}
			used[op.Tags[0]] = true
			if op.RequestBody == nil {
				continue
			}
			for kind, form := range op.RequestBody.Content {
				if !strings.HasSuffix(kind, "json") {
					continue
				}
				bodies++
				problems := &huma.ValidateResult{}
				huma.Validate(schemas, form.Schema, huma.NewPathBuffer([]byte("body"), 0), huma.ModeWriteToServer,
					form.Example, problems)
				if len(problems.Errors) > 0 || form.Example == nil {
					t.Errorf("%s %s: its example %v is wrong: %v", op.Method, path, form.Example, problems.Errors)
				}
			}
		}
	}
	if bodies < 90 || len(used) != len(glossary.Tags) {
		t.Errorf("%d bodies with an example, %d tags in use", bodies, len(used))
	}
	if api.GetGuard.Path == "" || glossary.TagOf("/nowhere") != "" || glossary.Of("Nothing", "nowhere") != "" {
		t.Error("what is not there has a meaning")
	}
}

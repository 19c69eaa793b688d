package web

import (
	"bytes"
	"encoding/json"
	"net/http"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/yaml"
	"github.com/labstack/echo/v5"
)

// serveDescription has the API's description answered, in OpenAPI 3.1 and, for generators that read no more, in 3.0.
func (v *Server) serveDescription() {
	doc := v.api.OpenAPI()
	for path, form := range map[string]struct {
		kind string
		text func(*huma.OpenAPI) ([]byte, error)
	}{
		"/api/openapi.json":     {"application/openapi+json", func(d *huma.OpenAPI) ([]byte, error) { return d.MarshalJSON() }},
		"/api/openapi.yaml":     {"application/openapi+yaml", func(d *huma.OpenAPI) ([]byte, error) { return d.YAML() }},
		"/api/openapi-3.0.json": {"application/openapi+json", Older},
		"/api/openapi-3.0.yaml": {"application/openapi+yaml", func(d *huma.OpenAPI) ([]byte, error) { return inYAML(Older(d)) }},
	} {
		written := sync.OnceValues(func() ([]byte, error) { return form.text(doc) })
		v.Echo.Match([]string{http.MethodGet, http.MethodHead}, path, func(c *echo.Context) error {
			text, err := written()
			if err != nil {
				return err
			}
			return c.Blob(http.StatusOK, form.kind, text)
		}, packed)
	}
}

func inYAML(text []byte, err error) ([]byte, error) {
	var out bytes.Buffer
	if err == nil {
		err = yaml.Convert(&out, bytes.NewReader(text))
	}
	return out.Bytes(), err
}

// Older gives a description in OpenAPI 3.0, as JSON. What may be null says so there by a word of its own.
func Older(doc *huma.OpenAPI) ([]byte, error) {
	text, err := doc.Downgrade()
	if err != nil {
		return nil, err
	}
	var whole any
	if err = json.Unmarshal(text, &whole); err != nil {
		return nil, err
	}
	nullable(whole)
	return json.Marshal(whole)
}

// nullable writes anyOf what is described or null as OpenAPI 3.0 does.
func nullable(part any) {
	switch part := part.(type) {
	case []any:
		for _, one := range part {
			nullable(one)
		}
	case map[string]any:
		if either, is := part["anyOf"].([]any); is && len(either) == 2 {
			if nothing, is := either[1].(map[string]any); is && nothing["type"] == "null" {
				delete(part, "anyOf")
				part["allOf"], part["nullable"] = either[:1], true
			}
		}
		for _, one := range part {
			nullable(one)
		}
	}
}

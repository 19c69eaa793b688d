package web

import (
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// severalLines are the fields whose texts may have several lines, by their last name; settings of devices and templates
// are texts of several lines throughout.
var severalLines = []string{"about", "advice", "alarm", "code", "comment", "formula", "long", "note", "short", "text",
	"why"}

func mayHaveLines(path string) bool {
	parts := strings.Split(path, ".")
	if len(parts) > 2 && parts[0] == "requests" && parts[2] == "body" { // of a batch, read once more when it is done
		return true
	}
	return slices.Contains(severalLines, parts[len(parts)-1]) || slices.Contains(parts, "settings") ||
		slices.Contains(parts, "templates")
}

// checkedJSON reads bodies whose texts are as measure.WrongText wants them: what a decoder would change unseen is
// refused.
var checkedJSON = huma.Format{
	Marshal: huma.DefaultJSONFormat.Marshal,
	Unmarshal: func(data []byte, v any) error {
		if err := measure.CheckJSON(data, mayHaveLines); err != nil {
			return err
		}
		return huma.DefaultJSONFormat.Unmarshal(data, v)
	},
}

// words refuses requests whose path or query has what no text may have.
func words(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if err := wrongAddress(r.URL); err != nil {
			var fault *measure.Fault
			errors.As(err, &fault)
			answer := api.FaultOf(http.StatusUnprocessableEntity).Problem(err.Error(),
				api.WrongPart{Location: fault.Field, Message: fault.Reason})
			w.Header().Set("Content-Type", api.ProblemType)
			w.WriteHeader(answer.Status)
			_ = json.NewEncoder(w).Encode(answer)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// knownQuery refuses what an operation does not understand in a query.
func knownQuery(op *api.Operation, u *url.URL) error {
	known := op.Query()
	for _, name := range slices.Sorted(maps.Keys(u.Query())) {
		if slices.Contains(known, name) {
			continue
		}
		reason := site.Unknown("parameter", name, known)
		switch {
		case len(known) == 0:
			reason += "; there are none here"
		case !strings.HasSuffix(reason, "?"):
			reason += "; there are " + prose.List(known)
		}
		return api.UnknownParameter.Problem(prose.Capital(reason),
			api.WrongPart{Location: "query." + name, Message: reason})
	}
	return nil
}

func wrongAddress(u *url.URL) error {
	path := u.Path
	if u.RawPath != "" { // what a part of it is, once it is taken apart
		if plain, err := url.PathUnescape(u.RawPath); err == nil {
			path = plain
		}
	}
	if wrong := measure.WrongText(path, false); wrong != "" {
		return &measure.Fault{Field: "path", Reason: wrong}
	}
	query, err := url.ParseQuery(u.RawQuery)
	if err != nil {
		return &measure.Fault{Field: "query", Reason: "cannot be read: " + err.Error()}
	}
	for name, values := range query {
		if wrong := measure.WrongText(name, false); wrong != "" {
			return &measure.Fault{Field: "query", Reason: "a parameter's name " + wrong}
		}
		for _, value := range values {
			if wrong := measure.WrongText(value, false); wrong != "" {
				return &measure.Fault{Field: "query." + name, Reason: wrong}
			}
		}
	}
	return nil
}

package intake

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strconv"

	"jauntylark/core/drive"
	"jauntylark/core/site"
)

// DecodeReport reads what a device says that it runs: {"version": 3, "interval": 60}, or the version
// by itself.
func DecodeReport(body []byte) (site.Report, error) {
	body = bytes.TrimSpace(body)
	if n, err := strconv.Atoi(string(body)); err == nil && n >= 0 {
		return site.Report{Version: n}, nil
	}
	var r site.Report
	in := json.NewDecoder(bytes.NewReader(body))
	in.DisallowUnknownFields()
	if err := in.Decode(&r); err != nil || r.Version < 0 || r.Interval < 0 {
		return r, fmt.Errorf(
			`%.60q is no report of what the device runs; send {"version": 3} or {"version": 3, "interval": 60}`, body)
	}
	return r, nil
}

// DecodeOutputReport reads what a device says that an output does: {"value": 1, "no": 42}, or the word by itself.
func DecodeOutputReport(body []byte) (drive.OutputReport, error) {
	body = bytes.TrimSpace(body)
	r := drive.OutputReport{Value: body}
	if len(body) > 0 && body[0] == '{' {
		r.Value = nil
		in := json.NewDecoder(bytes.NewReader(body))
		in.DisallowUnknownFields()
		if err := in.Decode(&r); err != nil || len(r.Value) == 0 || r.No < 0 {
			return r, fmt.Errorf(
				`%.60q is no report of what an output does; send {"value": 1, "no": 42} or the word alone`, body)
		}
	}
	if len(body) > 1000 {
		return r, fmt.Errorf("the report has %d bytes; 1000 are allowed", len(body))
	}
	return r, nil
}

package measure

import (
	"database/sql/driver"
	"encoding/json"
	"fmt"
)

// ScanJSON reads a JSON column into a noun, for the noun's Scan.
func ScanJSON(column, into any) error {
	switch v := column.(type) {
	case []byte:
		return json.Unmarshal(v, into)
	case string:
		return json.Unmarshal([]byte(v), into)
	}
	return fmt.Errorf("%T is not JSON", column)
}

// ValueJSON writes a noun into a JSON column, for the noun's Value.
func ValueJSON(noun any) (driver.Value, error) {
	text, err := json.Marshal(noun)
	return string(text), err
}

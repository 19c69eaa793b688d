package timeseries_test

import (
	"testing"

	"jauntylark/store/storetest"
)

func TestMain(m *testing.M) { storetest.Main(m) }

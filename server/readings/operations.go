package readings

import "jauntylark/server/web"

// Operations have the operations of each file answered.
var Operations = []func(*web.Server){
	calibrationsOperations, exportOperations, importsOperations, linesOperations, pastOperations, sheetOperations,
	streamOperations, totalsOperations,
}

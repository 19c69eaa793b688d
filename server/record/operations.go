package record

import "jauntylark/server/web"

// recordOps have the operations of each file answered.
var Operations = []func(*web.Server){
	assetFilesOperations, assetsOperations, boardsOperations, runReportOperations, runsOperations,
}

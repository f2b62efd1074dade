// Modules that are made when the web part is built; see guide.ts and licences.ts beside vite.config.ts.
declare module 'virtual:guide' {
  const pages: { id: string; html: string }[]
  export default pages
}
declare module 'virtual:licences' {
  const packages: { name: string; version: string; licence: string }[]
  export default packages
}
